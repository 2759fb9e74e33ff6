import { noteName, parseNote, type Key } from '@essim/core';
import { toast } from 'sonner';
import { ClickToType } from '../../shell/ClickToType';
import { placeScope } from './edits';

interface PitchNameProps {
  text: string;
  pitch: number;
  songKey: Key | null;
  /** In a line of text, not as a heading. */
  small?: boolean;
}

const HEADING = 'text-2xl font-bold tracking-tight';

/** Where notes are meant to be, typed when it is clicked: all of them go there. */
export function PitchName({ text, pitch, songKey, small }: PitchNameProps) {
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
      button={small ? 'pill cursor-text' : `-mx-1 cursor-text rounded px-1 tabular-nums hover:bg-teal-soft ${HEADING}`}
      input={`rounded border border-rule bg-card px-1 ${small ? 'w-16' : `-mx-1 w-24 ${HEADING}`}`}
      title="Click to type a pitch, like F#3 or A3 -20"
      testId="pitch"
      onTyped={take}
    />
  );
}
