import { toast } from 'sonner';
import { ClickToType } from './ClickToType';

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

/** A number that is typed when it is clicked; what is out of bounds is named and put back. */
export function TypedValue({ label, text, value, low, high, unit, nullable, disabled, onSet }: TypedValueProps) {
  const take = (typed: string) => {
    const number = numberIn(typed);
    if (number === value || (number === null && !nullable)) return;
    if (number === undefined || (number !== null && (number < low || number > high)))
      toast.error(`${label}: from ${low} to ${high}${unit ? ` ${unit}` : ''} is wanted, not “${typed}”.`, {
        id: 'typed',
      });
    else onSet(number);
  };
  return (
    <ClickToType
      label={label}
      text={text}
      typedOver={value === null ? '' : String(value)}
      button="w-full truncate rounded text-right text-ink-2 tabular-nums enabled:cursor-text enabled:hover:bg-teal-soft"
      input="w-full rounded border border-rule bg-card px-1 text-right tabular-nums"
      title="Click to type"
      disabled={disabled}
      onTyped={take}
    />
  );
}
