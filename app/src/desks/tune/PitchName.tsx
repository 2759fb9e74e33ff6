import { noteName, parseNote, type Key } from '@essim/core';
import { toast } from 'sonner';
import { ClickToType } from '../../shell/ClickToType';
import { placeScope } from './edits';

/** Where notes are meant to be, typed when it is clicked: all of them go there. */
export function PitchName({ text, pitch, songKey }: { text: string; pitch: number; songKey: Key | null }) {
  const take = (typed: string) => {
    if (!typed.trim()) return;
    try {
      placeScope(parseNote(typed));
    } catch (error) {
      toast.error(`${(error as Error).message}.`, { id: 'typed' });
    }
  };
  return (
    <ClickToType
      label="Pitch"
      text={text}
      typedOver={noteName(pitch, songKey)}
      button="-mx-1 cursor-text rounded px-1 text-2xl font-bold tracking-tight tabular-nums hover:bg-teal-soft"
      input="-mx-1 w-24 rounded border border-rule bg-card px-1 text-2xl font-bold tracking-tight"
      title="Click to type a pitch, like F#3 or A3 -20"
      testId="pitch"
      onTyped={take}
    />
  );
}
