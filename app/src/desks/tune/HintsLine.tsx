import { memo } from 'react';
import { noteName } from '@essim/core';
import { ChevronLeft, ChevronRight } from 'lucide-react';
import { keyAt, useParts } from '../../open-song';
import { chosenHints, dismissChosen, hintCount, hintsNow, hintText, stepHint, takeHint, tryHint } from './hints';
import { stopTrying } from '../../commands/trying';

/** How many notes may be wrong, a way from one to the next, and what is said of the chosen ones. */
export const HintsLine = memo(function HintsLine() {
  const session = useParts('history', 'views', 'editTrackId', 'selection', 'draft', 'backing');
  const hints = hintsNow(session);
  const mine = chosenHints(session);
  if (!hints.length) return null;
  return (
    <section aria-label="Hints" className="rounded-lg bg-amber-soft px-2.5 py-1.5 text-ink">
      <div className="flex items-center gap-1">
        <span aria-hidden className="text-amber">
          ◇
        </span>
        <b>{hintCount(hints.length)}</b>
        <span className="ml-auto flex gap-1">
          <button
            className="pill icon"
            onClick={() => stepHint(-1)}
            aria-label="Hint before"
            title="Hint before (Shift+F)"
          >
            <ChevronLeft size={13} />
          </button>
          <button className="pill icon" onClick={() => stepHint(1)} aria-label="Next hint" title="Next hint (F)">
            <ChevronRight size={13} />
          </button>
        </span>
      </div>
      {mine.map(h => (
        <p key={`${h.noteKey} ${h.kind}`} className="mt-1 flex flex-wrap items-center gap-1">
          {hintText(h)}:
          {h.alternatives.map(pitch => (
            <button
              key={pitch}
              className="pill"
              onPointerEnter={() => tryHint(h, pitch)}
              onPointerLeave={stopTrying}
              onFocus={() => tryHint(h, pitch)}
              onBlur={stopTrying}
              onClick={() => takeHint(h, pitch)}
              title="Pointing at it sounds it; a click takes it"
            >
              {noteName(pitch, keyAt(session, h.start))}
            </button>
          ))}
        </p>
      ))}
      {mine.length > 0 && (
        <button className="mt-1 text-xs font-semibold underline-offset-2 hover:underline" onClick={dismissChosen}>
          It is right as it is: dismiss <kbd>Shift+X</kbd>
        </button>
      )}
    </section>
  );
});
