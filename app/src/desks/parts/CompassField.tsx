import { clamp, noteName, type Compass, type Key } from '@essim/core';

const NARROWEST = 3;

interface CompassFieldProps {
  name: string;
  compass: Compass;
  tonic: Key | null;
  onChange: (bounds: Partial<Compass>) => void;
}

/** Between which pitches a voice sings: both ends by pointer or keyboard. */
export function CompassField({ name, compass: { low, high }, tonic, onChange }: CompassFieldProps) {
  const end = (which: keyof Compass, at: number, from: number, to: number) => {
    const move = (by: number) => onChange({ [which]: clamp(at + by, from, to) });
    return (
      <span
        role="spinbutton"
        tabIndex={0}
        aria-label={`${which === 'low' ? 'Lowest' : 'Highest'} note of ${name}`}
        aria-valuenow={at}
        aria-valuemin={from}
        aria-valuemax={to}
        aria-valuetext={noteName(at, tonic)}
        title="Arrow keys, or the bracket in the field"
        className="rounded px-1 font-semibold text-ink tabular-nums"
        onKeyDown={e => {
          const by = { ArrowUp: 1, ArrowDown: -1, PageUp: 12, PageDown: -12 }[e.key];
          if (by === undefined) return;
          e.preventDefault();
          e.stopPropagation();
          move(by);
        }}
      >
        {noteName(at, tonic)}
      </span>
    );
  };
  return (
    <span className="whitespace-nowrap">
      {end('low', low, 0, high - NARROWEST)} to {end('high', high, low + NARROWEST, 127)}
    </span>
  );
}
