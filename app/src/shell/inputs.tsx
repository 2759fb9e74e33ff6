import type { KeyboardEvent } from 'react';
import { toast } from 'sonner';

/** Inputs whose value is taken when they are left: Enter leaves, Escape puts back, keys meant for typing reach nobody else. */

const PLAIN = 'min-w-0 rounded-lg border border-rule bg-card px-2 py-1';

/** Put back by Escape: what was typed is not taken. */
function keys(e: KeyboardEvent<HTMLInputElement>, before: string): void {
  e.stopPropagation();
  if (e.key === 'Escape') e.currentTarget.value = before;
  if (e.key === 'Enter' || e.key === 'Escape') e.currentTarget.blur();
}

interface TextInputProps {
  label: string;
  value: string;
  longest?: number;
  placeholder?: string;
  className?: string;
  /** Whether nothing is a value too; otherwise an emptied input goes back. */
  mayBeEmpty?: boolean;
  autoFocus?: boolean;
  onSet: (value: string) => void;
  /** When it is left, whatever was typed. */
  onLeave?: () => void;
}

/** A text. */
export function TextInput({
  label,
  value,
  longest = 200,
  placeholder,
  className = PLAIN,
  mayBeEmpty = false,
  autoFocus,
  onSet,
  onLeave,
}: TextInputProps) {
  return (
    <input
      key={value}
      className={className}
      aria-label={label}
      defaultValue={value}
      maxLength={longest}
      placeholder={placeholder}
      autoFocus={autoFocus}
      onKeyDown={e => keys(e, value)}
      onBlur={e => {
        const typed = e.target.value.trim();
        if (typed !== value && (typed || mayBeEmpty)) onSet(typed);
        else e.target.value = value;
        onLeave?.();
      }}
    />
  );
}

interface NumberInputProps {
  label: string;
  value: number;
  low: number;
  high: number;
  /** Decimals shown. */
  digits: number;
  onSet: (value: number) => void;
}

/** A number within bounds; one that is no good is named and put back. */
export function NumberInput({ label, value, low, high, digits, onSet }: NumberInputProps) {
  const shown = String(Number(value.toFixed(digits)));
  return (
    <input
      key={shown}
      className={`${PLAIN} w-[60px] tabular-nums`}
      inputMode="decimal"
      aria-label={label}
      defaultValue={shown}
      onKeyDown={e => keys(e, shown)}
      onBlur={e => {
        const text = e.target.value.trim();
        if (text === shown) return;
        const typed = Number(text.replace(',', '.'));
        if (text && Number.isFinite(typed) && typed >= low && typed <= high) return onSet(typed);
        toast.error(`${label}: a number from ${low} to ${high} is wanted, not “${e.target.value}”.`);
        e.target.value = shown;
      }}
    />
  );
}

interface SelectProps {
  label: string;
  value: string;
  /** Values and what they are called. */
  options: readonly (readonly [value: string, name: string])[];
  className?: string;
  onChange: (value: string) => void;
}

/** One of several. */
export function Select({ label, value, options, className = '', onChange }: SelectProps) {
  return (
    <select
      className={`${PLAIN} ${className}`}
      aria-label={label}
      value={value}
      onChange={e => onChange(e.target.value)}
    >
      {options.map(([v, name]) => (
        <option key={v} value={v}>
          {name}
        </option>
      ))}
    </select>
  );
}

interface TickProps {
  children: string;
  checked: boolean;
  disabled?: boolean;
  onSet: (checked: boolean) => void;
}

/** Something that holds or does not. */
export function Tick({ children, checked, disabled, onSet }: TickProps) {
  return (
    <label className="flex items-center gap-2">
      <input
        type="checkbox"
        className="accent-(--teal)"
        checked={checked}
        disabled={disabled}
        onChange={e => onSet(e.target.checked)}
      />
      {children}
    </label>
  );
}
