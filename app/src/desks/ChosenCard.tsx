import { counted } from '@essim/core';
import type { ReactNode } from 'react';

interface ChosenCardProps {
  /** A word a note; those that go over several notes are named once. */
  words: readonly string[];
  /** Whether some of them are spoken: then they are no notes. */
  spoken?: boolean;
  /** What is said of them beside their name. */
  badge?: string | null;
  needsLook?: boolean;
  /** What is said while nothing is chosen. */
  empty: string;
  children: ReactNode;
}

/** What is chosen: its words, or how many notes; a number or two, and what there is to say. */
export function ChosenCard({ words, spoken = false, badge, needsLook = false, empty, children }: ChosenCardProps) {
  const named = words.filter((w, i) => w && w !== words[i - 1]);
  return (
    <section className="card" aria-label="Selection">
      {!words.length ? (
        <>
          <p className="font-semibold">Nothing chosen</p>
          <p className="mt-1 text-ink-2">{empty}</p>
        </>
      ) : (
        <>
          <div className="flex items-baseline justify-between gap-2">
            <p className="truncate text-lg font-semibold tracking-tight">
              {named.length ? `“${named.join(' ')}”` : counted(words.length, spoken ? 'syllable' : 'note')}
            </p>
            {badge && (
              <span
                className={`shrink-0 rounded font-semibold tabular-nums ${needsLook ? 'bg-amber-soft px-1.5 text-amber' : ''}`}
              >
                {badge}
              </span>
            )}
          </div>
          <p className="mt-1 text-ink-2 tabular-nums">{children}</p>
        </>
      )}
    </section>
  );
}
