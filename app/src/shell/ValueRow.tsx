import type { CSSProperties } from 'react';
import type { How } from '../open-song';
import { useHold } from './Fader';
import { TypedValue } from './TypedValue';

/** A value of notes as a fader shows it. */
export interface ValueLook {
  name: string;
  unit: string;
  low: number;
  high: number;
  /** What can be typed beyond the fader's ends. */
  leastTyped?: number;
  mostTyped?: number;
  step: number;
  /** Where a double-click puts it; null: as sung. */
  rest: number | null;
}

interface ValueRowProps extends ValueLook {
  /** Its name where the one shown does not tell it from others. */
  label?: string;
  /** One a note; null: as sung. */
  values: readonly (number | null)[];
  kind: string;
  /** Why it cannot be used now, and what is shown instead of a value. */
  idle?: { text: string; why: string };
  /** What is said where nothing was decided. */
  none?: string;
  onSet: (value: number | null, how: How) => void;
}

/** A value of the chosen notes: a fader, and the number behind it, a range where they differ. */
export function ValueRow(row: ValueRowProps) {
  const { name, label = name, unit, low, high, step, rest, values, idle, none = 'as sung', onSet } = row;
  const { how, hold } = useHold(row.kind);
  const known = values.filter((v): v is number => v !== null);
  const [least, most] = [Math.min(...known), Math.max(...known)];
  const shown = known.length ? Math.max(low, Math.min(high, most)) : Math.max(low, Math.min(high, rest ?? low));
  const signed = (v: number) => `${v > 0 && low < 0 ? '+' : ''}${v}`.replace('-', '−');
  const text = !values.length
    ? '–'
    : idle
      ? idle.text
      : !known.length
        ? none
        : least === most
          ? `${signed(most)} ${unit}`
          : `${signed(least)}–${signed(most)} ${unit}`;
  const disabled = !values.length || !!idle;
  return (
    <div className="grid grid-cols-[66px_1fr_74px] items-center gap-2 py-[1px]">
      <span aria-hidden>{name}</span>
      <input
        className="fader"
        type="range"
        aria-label={label}
        min={low}
        max={high}
        step={step}
        value={shown}
        disabled={disabled}
        style={{ '--fill': `${((shown - low) / (high - low)) * 100}%` } as CSSProperties}
        {...hold}
        onChange={e => onSet(Number(e.target.value), how())}
        onDoubleClick={() => onSet(rest, {})}
        title={idle?.why ?? `Double-click: ${rest === null ? none : `${rest} ${unit}`}`}
        aria-valuetext={text}
      />
      <TypedValue
        label={label}
        text={text}
        value={known.length ? most : null}
        low={row.leastTyped ?? low}
        high={row.mostTyped ?? high}
        unit={unit}
        nullable={rest === null}
        disabled={disabled}
        onSet={value => onSet(value, {})}
      />
    </div>
  );
}
