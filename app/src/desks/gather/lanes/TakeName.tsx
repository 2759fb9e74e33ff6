import type { Take, Track } from '@essim/core';
import { useState } from 'react';
import { TextInput } from '../../../shell/inputs';
import { renameTake } from '../edits';
import { takeLabel } from './take-label';

/** A take's name; a double-click or F2 lets it be changed. */
export function TakeName({ track, take }: { track: Track; take: Take }) {
  const [editing, setEditing] = useState(false);
  if (!editing)
    return (
      <button
        className="block w-full truncate text-left font-semibold"
        title={`${take.name}: double-click to rename`}
        onDoubleClick={() => setEditing(true)}
        onKeyDown={e => {
          if (e.key !== 'F2') return;
          e.preventDefault();
          setEditing(true);
        }}
      >
        {takeLabel(track, take)}
      </button>
    );
  return (
    <TextInput
      className="w-full rounded border border-rule bg-card px-1 font-semibold"
      label="Name of the take"
      value={take.name}
      autoFocus
      onSet={name => renameTake(track, take, name)}
      onLeave={() => setEditing(false)}
    />
  );
}
