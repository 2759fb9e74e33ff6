import type { CSSProperties } from 'react';

interface FaderProps {
  label: string;
  value: number;
  low: number;
  high: number;
  step: number;
  unit: string;
  /** Where a double-click puts it. */
  rest: number;
  text?: (value: number) => string;
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
