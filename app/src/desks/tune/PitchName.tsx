import { noteName, parseNote, type Key } from '@essim/core';
import { useState } from 'react';
import { toast } from 'sonner';
import { placeScope } from './edits';

/** Where notes are meant to be, typed when it is clicked: all of them go there. */
export function PitchName({ text, pitch, songKey }: { text: string; pitch: number; songKey: Key | null }) {
  const [typing, setTyping] = useState(false);
  if (!typing)
    return (
      <button
        className="-mx-1 cursor-text rounded px-1 text-2xl font-bold tracking-tight tabular-nums hover:bg-teal-soft"
        title="Click to type a pitch, like F#3 or A3 -20"
        aria-label={`${text}. Type a pitch`}
        data-testid="pitch"
        onClick={() => setTyping(true)}
      >
        {text}
      </button>
    );
  const shown = noteName(pitch, songKey);
  const take = (typed: string) => {
    setTyping(false);
    if (!typed.trim() || typed === shown) return;
    try {
      placeScope(parseNote(typed));
    } catch (error) {
      toast.error(`${(error as Error).message}.`, { id: 'typed' });
    }
  };
  return (
    <input
      className="-mx-1 w-24 rounded border border-rule bg-card px-1 text-2xl font-bold tracking-tight"
      aria-label="Pitch"
      defaultValue={shown}
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
