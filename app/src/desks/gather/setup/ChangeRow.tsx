import type { ReactNode } from 'react';

/** One change of key, tempo or metre: where, what, and a cross to take it away. */
export function ChangeRow({ what, onDelete, children }: { what: string; onDelete: () => void; children: ReactNode }) {
  return (
    <div className="mt-1 flex items-center gap-1.5">
      {children}
      <button className="pill" aria-label={`Delete the ${what}`} onClick={onDelete}>
        ×
      </button>
    </div>
  );
}

/** A list with one entry changed, or left out. */
export const withChanged = <T,>(list: readonly T[], at: T, fields: Partial<T>): T[] =>
  list.map(q => (q === at ? { ...q, ...fields } : q));
export const without = <T,>(list: readonly T[], at: T): T[] => list.filter(q => q !== at);
