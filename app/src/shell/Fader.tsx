import { useRef, type CSSProperties, type KeyboardEvent } from 'react';
import { drop, giveUp, type How } from '../open-song';
import { TypedValue } from './TypedValue';

/** What a fader is, its value apart. */
export interface FaderLook {
  label: string;
  low: number;
  high: number;
  step: number;
  unit: string;
  /** Where a double-click puts it. */
  rest: number;
  text?: (value: number) => string;
}

interface FaderProps extends FaderLook {
  value: number;
  /** @param how the change is made: held while the fader is, of the fader's own kind by keys */
  onChange: (value: number, how: How) => void;
  /** Names what it changes, so that presses of its keys that follow each other are one entry. */
  kind: string;
}

/**
 * Holding a range input: while the pointer is down its changes are a draft, let go they are stored, Esc and a lost pointer give them up.
 * Changes by keys are stored at once.
 */
export function useHold(kind: string) {
  const held = useRef(false);
  const end = (done: () => void) => {
    if (!held.current) return;
    held.current = false;
    done();
  };
  return {
    how: (): How => (held.current ? { held: true } : { kind }),
    hold: {
      onPointerDown: () => void (held.current = true),
      onPointerUp: () => end(drop),
      onPointerCancel: () => end(giveUp),
      onKeyDown: (e: KeyboardEvent) => {
        if (e.key !== 'Escape' || !held.current) return;
        e.stopPropagation();
        end(giveUp);
      },
    },
  };
}

/** A fader with its name before it and its value behind it. */
export function Fader({ label, value, low, high, step, unit, rest, text, onChange, kind }: FaderProps) {
  const shown = text?.(value) ?? `${value > 0 && low < 0 ? '+' : ''}${value}${unit}`.replace('-', '−');
  const { how, hold } = useHold(kind);
  return (
    <div className="grid grid-cols-[66px_1fr_60px] items-center gap-2 py-[1px]">
      <span aria-hidden>{label}</span>
      <input
        className="fader"
        aria-label={label}
        type="range"
        min={low}
        max={high}
        step={step}
        value={value}
        style={{ '--fill': `${((value - low) / (high - low)) * 100}%` } as CSSProperties}
        {...hold}
        onChange={e => onChange(Number(e.target.value), how())}
        onDoubleClick={() => onChange(rest, {})}
        aria-valuetext={shown}
      />
      <TypedValue
        label={label}
        text={shown}
        value={value}
        low={low}
        high={high}
        unit={unit.trim()}
        onSet={v => v !== null && onChange(v, {})}
      />
    </div>
  );
}

interface FadersProps<Field extends string> {
  faders: readonly (FaderLook & { field: Field })[];
  values: Readonly<Record<Field, number>>;
  /** Names what they belong to. */
  of: string;
  onChange: (field: Field, value: number, how: How) => void;
}

/** Faders for numbers that stand together. */
export function Faders<Field extends string>({ faders, values, of, onChange }: FadersProps<Field>) {
  return faders.map(({ field, ...look }) => (
    <Fader
      key={field}
      {...look}
      value={values[field]}
      kind={`${of} ${field}`}
      onChange={(v, how) => onChange(field, v, how)}
    />
  ));
}
