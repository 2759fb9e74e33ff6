import { useState } from 'react';
import { toast } from 'sonner';

interface TypedValueProps {
  label: string;
  /** What is shown while nothing is typed. */
  text: string;
  /** What is there to be changed; null: as sung. */
  value: number | null;
  low: number;
  high: number;
  unit: string;
  /** Whether nothing typed, or "as sung", is a value too. */
  nullable?: boolean;
  disabled?: boolean;
  onSet: (value: number | null) => void;
}

/** "−20 cents" or "35" as a number; null for nothing or "as sung"; undefined where it is neither. */
function numberIn(text: string): number | null | undefined {
  const plain = text.trim().toLowerCase().replace('−', '-').replace(',', '.');
  if (!plain || plain === 'as sung') return null;
  const found = /^([-+]?\d*\.?\d+)\s*[a-z%]*$/.exec(plain);
  return found ? Number(found[1]) : undefined;
}

/** A value that is typed when it is clicked: Enter takes it, Esc leaves it, what is out of bounds is named and put back. */
export function TypedValue({ label, text, value, low, high, unit, nullable, disabled, onSet }: TypedValueProps) {
  const [typing, setTyping] = useState(false);
  if (!typing || disabled)
    return (
      <button
        type="button"
        className="w-full truncate rounded text-right text-ink-2 tabular-nums enabled:cursor-text enabled:hover:bg-teal-soft"
        disabled={disabled}
        aria-label={`${label}: ${text}. Type a value`}
        title="Click to type"
        onClick={() => setTyping(true)}
      >
        {text}
      </button>
    );
  const take = (typed: string) => {
    setTyping(false);
    const number = numberIn(typed);
    if (number === value || (number === null && !nullable)) return;
    if (number === undefined || (number !== null && (number < low || number > high)))
      toast.error(`${label}: from ${low} to ${high}${unit ? ` ${unit}` : ''} is wanted, not “${typed}”.`, {
        id: 'typed',
      });
    else onSet(number);
  };
  return (
    <input
      className="w-full rounded border border-rule bg-card px-1 text-right tabular-nums"
      aria-label={label}
      defaultValue={value === null ? '' : String(value)}
      autoFocus
      onFocus={e => e.target.select()}
      onKeyDown={e => {
        e.stopPropagation();
        if (e.key === 'Enter') take(e.currentTarget.value);
        if (e.key === 'Escape') setTyping(false);
      }}
      onBlur={e => take(e.target.value)}
    />
  );
}
