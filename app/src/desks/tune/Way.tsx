import { ChevronDown } from 'lucide-react';
import type { ReactNode } from 'react';
import { create } from 'zustand';

/** The three ways of tuning: note by note, the take as a whole, and the steps there are. One is open at a time. */
export type WayName = 'notes' | 'whole' | 'steps';
export const useWay = create<{ way: WayName }>(() => ({ way: 'notes' }));
export const openWay = (way: WayName): void => useWay.setState({ way });

interface WayProps {
  name: WayName;
  title: string;
  /** What holds now, in a few words. */
  summary: string;
  children: ReactNode;
}

/** One way, its heading always there. */
export function Way({ name, title, summary, children }: WayProps) {
  const open = useWay(s => s.way === name);
  return (
    <section aria-label={title} className="border-t border-rule pt-1.5">
      <h3>
        <button
          className="flex w-full items-center gap-2 rounded py-0.5 text-left"
          aria-expanded={open}
          onClick={() => openWay(name)}
        >
          <span className={`font-semibold ${open ? '' : 'text-ink-2'}`}>{title}</span>
          <span className="ml-auto truncate text-[11.5px] text-ink-2 tabular-nums">{summary}</span>
          <ChevronDown size={13} className={`shrink-0 transition ${open ? 'rotate-180' : ''}`} aria-hidden />
        </button>
      </h3>
      {open && <div className="flex flex-col gap-2.5 pt-1.5 pb-1">{children}</div>}
    </section>
  );
}
