import { useState } from 'react';

interface ClickToTypeProps {
  /** Of the input. */
  label: string;
  /** What is shown, and what is typed over; the latter may be shorter. */
  text: string;
  typedOver: string;
  /** Looks of the button and of the input. */
  button: string;
  input: string;
  title: string;
  disabled?: boolean;
  testId?: string;
  /** Enter, or leaving it. */
  onTyped: (typed: string) => void;
}

/** A text that becomes an input when it is clicked: Enter and leaving take what was typed, Esc leaves it as it was. */
export function ClickToType(props: ClickToTypeProps) {
  const { label, text, typedOver, button, input, title, disabled, testId, onTyped } = props;
  const [typing, setTyping] = useState(false);
  if (!typing || disabled)
    return (
      <button
        type="button"
        className={button}
        disabled={disabled}
        aria-label={`${label}: ${text}. Type a value`}
        title={title}
        data-testid={testId}
        onClick={() => setTyping(true)}
      >
        {text}
      </button>
    );
  const take = (typed: string) => {
    setTyping(false);
    if (typed !== typedOver) onTyped(typed);
  };
  return (
    <input
      className={input}
      aria-label={label}
      defaultValue={typedOver}
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
