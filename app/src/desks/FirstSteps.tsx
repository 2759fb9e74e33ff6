import { X } from 'lucide-react';
import { useState } from 'react';

const NAME = 'essim-first-steps';
const seen = (): string[] => {
  try {
    return (localStorage.getItem(NAME) ?? '').split(' ');
  } catch {
    return [];
  }
};

/** A short hint for whoever is at a desk for the first time; gone for good once it was followed or put away. */
export function FirstSteps({ id, text, done }: { id: string; text: string; done: boolean }) {
  const [open, setOpen] = useState(() => !seen().includes(id));
  if (!open || done) return null;
  return (
    <section
      className="relative rounded-xl border border-teal/40 bg-teal-soft px-3 py-2.5 pr-8 leading-snug"
      aria-label="First steps"
    >
      <button
        className="absolute top-1.5 right-1.5 p-1 text-ink-2"
        aria-label="Put this hint away"
        onClick={() => {
          setOpen(false);
          try {
            localStorage.setItem(NAME, [...seen(), id].join(' ').trim());
          } catch {
            // then it is shown again
          }
        }}
      >
        <X size={13} />
      </button>
      {text}
    </section>
  );
}
