import { BarGrid } from '@essim/core';
import { ListOrdered, Metronome, Pause, Play } from 'lucide-react';
import { useEffect, useRef, useState, type ReactNode } from 'react';
import {
  followPhrase,
  player,
  setEdited,
  setHear,
  songOf,
  toggleClick,
  toggleCountIn,
  toggleLoop,
  togglePlay,
  useParts,
  useSession,
} from '../open-song';
import { clock } from '../field/draw/ground';
import { HEARS } from './commands';
import { HearMix } from './HearMix';
import { eachFrame, filled } from './meters';

/** Play, position, loop, Hear, Compare, meter. */
export function Transport() {
  const { playing, looping, loopRange, hear, edited, countIn, clicking } = useParts(
    'playing',
    'looping',
    'loopRange',
    'hear',
    'edited',
    'countIn',
    'clicking',
  );
  return (
    <footer className="flex items-center gap-4 border-t border-rule bg-panel px-4 max-[1100px]:gap-2">
      <button
        className="grid size-10 shrink-0 place-items-center rounded-full bg-teal text-card"
        onClick={() => void togglePlay()}
        aria-label={playing ? 'Stop' : 'Play'}
        title="Play or stop (Space)"
      >
        {playing ? <Pause size={18} fill="currentColor" /> : <Play size={18} fill="currentColor" className="ml-0.5" />}
      </button>
      <Position />
      <button className={`btn ${looping ? 'btn-on' : ''}`} onClick={toggleLoop} aria-pressed={looping}>
        Loop {loopRange ? 'stretch' : 'phrase'} <kbd>L</kbd>
      </button>
      <div className="flex items-center gap-1.5">
        <Choice label="Hear" value={hear} options={HEARS} onChange={setHear} />
        <HearMix />
      </div>
      <Choice
        label="Compare"
        value={edited ? 'edited' : 'sung'}
        options={[
          { id: 'sung', name: 'As sung' },
          { id: 'edited', name: 'Edited' },
        ]}
        onChange={v => setEdited(v === 'edited')}
      />
      <div className="flex items-center gap-1">
        <Toggle on={countIn} onChange={toggleCountIn} name="Count-in" hint="Count a bar before playing (Shift K)">
          <ListOrdered size={14} />
        </Toggle>
        <Toggle on={clicking} onChange={toggleClick} name="Click" hint="Click on every beat (K)">
          <Metronome size={14} />
        </Toggle>
      </div>
      <Meter />
    </footer>
  );
}

function Choice<T extends string>({
  label,
  value,
  options,
  onChange,
}: {
  label: string;
  value: T;
  options: { id: T; name: string }[];
  onChange: (v: T) => void;
}) {
  return (
    <div className="flex items-center gap-2" role="radiogroup" aria-label={label}>
      <span className="text-[11px] text-ink-2">{label}</span>
      <div className="flex rounded-[10px] border border-rule bg-paper p-0.5">
        {options.map(o => (
          <button
            key={o.id}
            role="radio"
            aria-checked={o.id === value}
            className={`rounded-lg px-2.5 py-1 font-medium whitespace-nowrap max-[1100px]:px-1.5 ${o.id === value ? 'bg-card text-ink shadow-sm outline outline-rule' : 'text-ink-2'}`}
            onClick={() => onChange(o.id)}
          >
            {o.name}
          </button>
        ))}
      </div>
    </div>
  );
}

/** Bar and beat, and the time; written straight into the page each frame. */
function Position() {
  const big = useRef<HTMLSpanElement>(null);
  const small = useRef<HTMLSpanElement>(null);
  const song = useSession(songOf);
  useEffect(() => {
    let frame = 0;
    const grid = song?.tempo ? new BarGrid(song.tempo) : null;
    const tick = () => {
      const t = player()?.position ?? 0;
      followPhrase();
      const time = clock(t, 2);
      if (grid) {
        const { bar, beat, part } = grid.placeAt(t);
        set(big.current, `${bar}.${beat}.${Math.floor(part * 4) + 1}`);
        set(small.current, `${time} · ${Math.round(grid.bpmAt(t) * 10) / 10} bpm`);
      } else {
        set(big.current, time);
        set(small.current, 'min:s');
      }
      frame = requestAnimationFrame(tick);
    };
    const set = (e: HTMLElement | null, text: string) => {
      if (e && e.textContent !== text) e.textContent = text;
    };
    tick();
    return () => cancelAnimationFrame(frame);
  }, [song]);
  return (
    <div className="w-[118px] shrink-0 tabular-nums" aria-label="Position">
      <span ref={big} className="block text-[19px] leading-6 font-semibold tracking-tight" data-testid="position" />
      <span ref={small} className="block text-[11px] text-ink-2" />
    </div>
  );
}

function Toggle(p: { on: boolean; onChange: () => void; name: string; hint: string; children: ReactNode }) {
  return (
    <button className="pill icon" onClick={p.onChange} aria-pressed={p.on} aria-label={p.name} title={p.hint}>
      {p.children}
    </button>
  );
}

const BARS = 20;
const LOWEST_DB = -48;
/** How long the meter says that a rendering was late, ms. */
const LATE_SHOWN_MS = 600;

/**
 * Peak level of what is heard, by bars that also grow; over -3 dB they turn amber. Says when a track sounds as before because what its
 * edits make of it is still being rendered.
 */
function Meter() {
  const host = useRef<HTMLDivElement>(null);
  const [late, setLate] = useState(false);
  useEffect(() => {
    let lit = -1;
    let counted = player()?.late ?? 0;
    let until = 0;
    return eachFrame(() => {
      const p = player();
      const peak = Math.max(...(p?.peaks ?? [0]));
      const now = Math.round(filled(peak) * BARS);
      if (now !== lit && host.current) {
        lit = now;
        [...host.current.children].forEach((bar, i) => bar.setAttribute('data-lit', String(i < now)));
        const db = 20 * Math.log10(Math.max(peak, 1e-6));
        host.current.setAttribute('aria-valuenow', String(Math.round(Math.max(LOWEST_DB, db))));
      }
      const count = p?.late ?? 0;
      if (count > counted) until = performance.now() + LATE_SHOWN_MS;
      counted = count;
      setLate(performance.now() < until);
    });
  }, []);
  return (
    <div className="ml-auto flex items-center gap-2 max-[1180px]:hidden">
      <span
        className={`rounded-full bg-amber-soft px-2 py-0.5 text-[11px] font-semibold text-amber ${late ? '' : 'invisible'}`}
        title="The newest edit is still being rendered here: the track sounds as before it"
        data-testid="late"
        aria-hidden={!late}
      >
        late
      </span>
      <div
        ref={host}
        className="flex h-8 items-end gap-[3px]"
        role="meter"
        aria-label="Level, dB"
        aria-valuemin={LOWEST_DB}
        aria-valuemax={0}
        data-testid="meter"
      >
        {Array.from({ length: BARS }, (_, i) => (
          <span
            key={i}
            className="w-1 rounded-sm bg-rule data-[lit=true]:bg-(--lit)"
            style={
              { height: 8 + i * 1.15, '--lit': i >= BARS - 2 ? 'var(--amber)' : 'var(--teal)' } as React.CSSProperties
            }
          />
        ))}
      </div>
    </div>
  );
}
