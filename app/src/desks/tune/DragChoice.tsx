import { memo } from 'react';
import type { Snap } from '@essim/core';
import { useDragging, type Dragging } from './dragging';

const SNAPS: readonly [Snap, string][] = [
  ['key', 'key'],
  ['chord', 'chord'],
  ['semitone', '½ tone'],
  ['free', 'free'],
];
const SOUNDS: readonly [Dragging['sound'], string][] = [
  ['note', 'the note'],
  ['song', 'the song'],
];

/** What dragged notes snap to, and what sounds meanwhile. */
export const DragChoice = memo(function DragChoice() {
  const { snap, sound } = useDragging();
  return (
    <div className="flex flex-col gap-1 border-t border-rule-soft pt-1.5">
      <Choice label="Drag to" of={SNAPS} value={snap} onChoose={v => useDragging.setState({ snap: v })} />
      <Choice label="and hear" of={SOUNDS} value={sound} onChoose={v => useDragging.setState({ sound: v })} />
    </div>
  );
});

interface ChoiceProps<T extends string> {
  label: string;
  of: readonly [T, string][];
  value: T;
  onChoose: (value: T) => void;
}

function Choice<T extends string>({ label, of, value, onChoose }: ChoiceProps<T>) {
  return (
    <div className="flex items-center gap-1" role="group" aria-label={label}>
      <span className="w-[52px] shrink-0 text-[11.5px] text-ink-2">{label}</span>
      {of.map(([id, name]) => (
        <button
          key={id}
          className="pill flex-1 px-1! whitespace-nowrap"
          aria-pressed={value === id}
          onClick={() => onChoose(id)}
        >
          {name}
        </button>
      ))}
    </div>
  );
}
