import type { CSSProperties } from 'react';

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
  onGrab?: () => void;
  onChange: (value: number) => void;
}

/** A fader with its name before it and its value behind it. */
export function Fader({ label, value, low, high, step, unit, rest, text, onGrab, onChange }: FaderProps) {
  const shown = text?.(value) ?? `${value > 0 && low < 0 ? '+' : ''}${value}${unit}`.replace('-', '−');
  return (
    <label className="grid grid-cols-[66px_1fr_60px] items-center gap-2 py-[1px]">
      <span>{label}</span>
      <input
        className="fader"
        type="range"
        min={low}
        max={high}
        step={step}
        value={value}
        style={{ '--fill': `${((value - low) / (high - low)) * 100}%` } as CSSProperties}
        onPointerDown={onGrab}
        onChange={e => onChange(Number(e.target.value))}
        onDoubleClick={() => onChange(rest)}
        aria-valuetext={shown}
      />
      <span className="text-right text-ink-2 tabular-nums">{shown}</span>
    </label>
  );
}

interface FadersProps<Field extends string> {
  faders: readonly (FaderLook & { field: Field })[];
  values: Readonly<Record<Field, number>>;
  /** @param grip of one fader, the same for all the steps of one drag */
  onChange: (field: Field, value: number, grip: string) => void;
}

/** Counts every grip of any fader, so that no two drags are taken for one. */
let grips = 0;

/** Faders for numbers that stand together; each grip of one of them can be one entry of the journal. */
export function Faders<Field extends string>({ faders, values, onChange }: FadersProps<Field>) {
  return faders.map(({ field, ...look }) => (
    <Fader
      key={field}
      {...look}
      value={values[field]}
      onGrab={() => grips++}
      onChange={v => onChange(field, v, `${field} ${grips}`)}
    />
  ));
}
