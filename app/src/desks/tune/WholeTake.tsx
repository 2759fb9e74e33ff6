import { memo } from 'react';
import { editTrackOf, useParts } from '../../open-song';
import { guideNow } from './guide';
import { ValueRow } from '../../shell/ValueRow';
import { Way } from './Way';
import {
  drawTo,
  intoNotes,
  setWhole,
  wholeNow,
  wholeOff,
  wholeOn,
  wholeSpan,
  wholeSummary,
  WHOLE_VALUES,
} from './whole-take';

/** Tuning a track, or the chosen stretch of it, as a whole: heard while it plays, and turned into notes when it is liked. */
export const WholeTake = memo(function WholeTake() {
  const session = useParts('history', 'draft', 'editTrackId', 'selection');
  const track = editTrackOf(session);
  const now = wholeNow(session);
  const span = wholeSpan(session);
  const guide = guideNow(session);
  return (
    <Way name="whole" title="Whole take" summary={wholeSummary(track)}>
      <p className="text-[11.5px] text-ink-2">
        {span
          ? `On the chosen stretch, ${(span.end - span.start).toFixed(1)} s of ${track?.name ?? 'the track'}.`
          : `On the whole of ${track?.name ?? 'the track'}; with a stretch chosen (Alt and drag), on that.`}
      </p>
      {!now ? (
        <button className="btn btn-ink" onClick={wholeOn} disabled={!track}>
          Tune {span ? 'this stretch' : 'the whole take'} <kbd>Shift+T</kbd>
        </button>
      ) : (
        <>
          <div>
            {WHOLE_VALUES.map(({ field, ...look }) => (
              <ValueRow
                key={field}
                {...look}
                values={[now[field]]}
                kind={`whole ${field} ${session.editTrackId}`}
                onSet={(value, how) => setWhole(field, value, how)}
                none={field === 'glideMs' ? 'as it settles' : undefined}
              />
            ))}
          </div>
          {guide && (
            <div className="flex items-center gap-1.5" role="group" aria-label="Drawn to">
              <span className="text-ink-2">Drawn to</span>
              {(['key', 'guide'] as const).map(to => (
                <button
                  key={to}
                  className={`btn flex-1 ${now.to === to ? 'btn-on' : ''}`}
                  aria-pressed={now.to === to}
                  onClick={() => drawTo(to)}
                >
                  {to === 'key' ? 'the steps' : 'the guide'}
                </button>
              ))}
            </div>
          )}
          <div className="flex gap-1.5">
            <button className="btn btn-ink flex-1" onClick={intoNotes}>
              Into notes
            </button>
            <button className="btn flex-1" onClick={wholeOff}>
              Off <kbd>Shift+T</kbd>
            </button>
          </div>
          <p className="text-[11.5px] text-ink-2">Notes with edits of their own keep them.</p>
        </>
      )}
    </Way>
  );
});
