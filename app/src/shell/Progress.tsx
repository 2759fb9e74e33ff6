import type { ReactNode } from 'react';

interface ProgressProps {
  title: string;
  /** What of it is done now. */
  detail?: string;
  /** 0..1 */
  share: number;
  onStop?: () => void;
  children?: ReactNode;
}

/** Something that takes a while: what it is, how far it is, and how to stop it. */
export function Progress({ title, detail, share, onStop, children }: ProgressProps) {
  return (
    <div className="card" role="status">
      <p className="font-semibold">{title}</p>
      {detail && <p className="text-ink-2">{detail}</p>}
      <div
        className="mt-2 h-1.5 overflow-hidden rounded bg-rule-soft"
        role="progressbar"
        aria-label={title}
        aria-valuenow={Math.round(share * 100)}
        aria-valuemin={0}
        aria-valuemax={100}
      >
        <div className="h-full bg-teal" style={{ width: `${share * 100}%` }} />
      </div>
      {children}
      {onStop && (
        <button className="btn mt-2 w-full" onClick={onStop}>
          Stop
        </button>
      )}
    </div>
  );
}
