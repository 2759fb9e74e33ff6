import { Popover, PopoverButton, PopoverPanel } from '@headlessui/react';
import { SlidersHorizontal } from 'lucide-react';
import { trackColour } from '../field/palette';
import { HEAR_LEVELS, hearLevel, isHeard } from '../open-song/listening';
import { forgetHearMix, setHeard, setHearLevel, songOf, useParts, useSession } from '../open-song';
import { HEARS } from './commands';
import { TrackMeter } from './meters';

/** Which tracks the present way of hearing takes, and how loud: behind the button beside Hear. */
export function HearMix() {
  return (
    <Popover className="flex">
      <PopoverButton
        className="pill icon"
        aria-label="What is heard, and how loud"
        title="Choose what is heard, and how loud"
      >
        <SlidersHorizontal size={13} />
      </PopoverButton>
      <PopoverPanel
        anchor="top"
        className="z-30 w-96 rounded-xl border border-rule bg-card p-3.5 shadow-xl focus:outline-none [--anchor-gap:10px]"
      >
        <Tracks />
      </PopoverPanel>
    </Popover>
  );
}

function Tracks() {
  const s = useParts('hear', 'listening', 'editTrackId', 'history');
  const tracks = useSession(songOf)?.tracks ?? [];
  const name = HEARS.find(h => h.id === s.hear)!.name;
  const { levels, heard } = s.listening[s.hear];
  const changed = Object.keys(levels).length + Object.keys(heard).length > 0;
  return (
    <section aria-label={`Heard: ${name}`}>
      <div className="mb-2 flex items-baseline justify-between">
        <h3 className="font-semibold">{name}</h3>
        <button
          className="text-[11px] font-semibold text-teal disabled:text-ink-3"
          disabled={!changed}
          onClick={forgetHearMix}
        >
          As usual
        </button>
      </div>
      {tracks.map((t, i) => {
        const db = hearLevel(s, t.id);
        const on = isHeard(s, t);
        return (
          <div key={t.id} className="grid grid-cols-[16px_8px_1fr_110px_56px] items-center gap-2 py-1">
            <input
              type="checkbox"
              className="accent-(--teal)"
              checked={on}
              disabled={t.id === s.editTrackId}
              onChange={e => setHeard(t.id, e.target.checked)}
              aria-label={`Hear ${t.name}`}
            />
            <TrackMeter index={i} colour={trackColour(t)} className="h-6 w-1.5" />
            <span className={`truncate ${on ? '' : 'text-ink-3'}`}>
              {t.name}
              {t.mute ? ' · muted' : ''}
            </span>
            <input
              className="fader"
              type="range"
              min={HEAR_LEVELS.low}
              max={HEAR_LEVELS.high}
              step={0.5}
              value={db}
              disabled={!on}
              style={
                {
                  '--fill': `${((db - HEAR_LEVELS.low) / (HEAR_LEVELS.high - HEAR_LEVELS.low)) * 100}%`,
                } as React.CSSProperties
              }
              onChange={e => setHearLevel(t.id, Number(e.target.value))}
              onDoubleClick={() => setHearLevel(t.id, 0)}
              aria-label={`Level of ${t.name} while hearing ${name}`}
              aria-valuetext={`${db} dB`}
            />
            <span className="text-right text-ink-2 tabular-nums">
              {db > 0 ? '+' : ''}
              {String(db).replace('-', '−')} dB
            </span>
          </div>
        );
      })}
      <p className="mt-2 text-[11px] text-ink-2">
        Each way of hearing keeps its own. The mix and what is exported stay as they are.
      </p>
    </section>
  );
}
