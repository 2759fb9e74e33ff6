import { clamp, ROLES } from '@essim/core';
import { beginImport } from '../exchange/importing';
import { deleteTrack, duplicateTrack, setMix, setTrack, addEmptyTrack } from '../commands/tracks';
import { editTrackOf, useSession } from '../open-song';
import type { Action } from './commands';

/** What is done to the edited track as a whole, by name. */

const edited = () => editTrackOf(useSession.getState());
type Edited = NonNullable<ReturnType<typeof edited>>;
const onTrack = (run: (track: Edited) => void) => () => {
  const track = edited();
  if (track) run(track);
};
const level = (by: number) =>
  onTrack(t => void setMix(t, { levelDb: clamp(t.levelDb + by, -96, 24) }, { kind: `level ${t.id}` }));
const pan = (by: number) => onTrack(t => void setMix(t, { pan: clamp(t.pan + by, -1, 1) }, { kind: `pan ${t.id}` }));

/** Opens what is behind the dots of the track's row, its name ready to be typed over. */
const settings = onTrack(track => {
  const row = document.querySelector(`[data-testid="track-${CSS.escape(track.name)}"]`);
  row?.querySelector<HTMLButtonElement>('button[aria-haspopup], button[aria-label^="Settings"]')?.click();
  requestAnimationFrame(() =>
    document.querySelector<HTMLInputElement>(`section[aria-label^="Settings"] input[aria-label="Name"]`)?.select(),
  );
});

function chooseFiles(): void {
  const input = document.createElement('input');
  input.type = 'file';
  input.multiple = true;
  input.addEventListener('change', () => void beginImport([...(input.files ?? [])], { kind: 'tracks' }));
  input.click();
}

const group = 'Track';
export const TRACK_ACTIONS: Action[] = [
  {
    id: 'mute',
    name: 'Mute the edited track, or no more',
    keys: [],
    group,
    run: onTrack(t => void setMix(t, { mute: !t.mute })),
  },
  {
    id: 'solo',
    name: 'Solo the edited track, or no more',
    keys: [],
    group,
    run: onTrack(t => void setMix(t, { solo: !t.solo })),
  },
  { id: 'level-up', name: 'Level of the edited track up by 1 dB', keys: [], group, run: level(1) },
  { id: 'level-down', name: 'Level of the edited track down by 1 dB', keys: [], group, run: level(-1) },
  { id: 'track-left', name: 'Pan the edited track to the left', keys: [], group, run: pan(-0.1) },
  { id: 'track-right', name: 'Pan the edited track to the right', keys: [], group, run: pan(0.1) },
  {
    id: 'settings',
    name: 'Rename the edited track; its role, colour, level and whom it follows',
    keys: ['F2'],
    group,
    run: settings,
  },
  ...ROLES.map((role): Action => ({
    id: `role-${role}`,
    name: `Role of the edited track: ${role}`,
    keys: [],
    group,
    run: onTrack(t => void setTrack(`${t.name}: ${role}`, t, { role })),
  })),
  { id: 'duplicate-track', name: 'Duplicate the edited track', keys: [], group, run: onTrack(duplicateTrack) },
  { id: 'delete-track', name: 'Delete the edited track', keys: [], group, run: onTrack(deleteTrack) },
  { id: 'new-track', name: 'Add an empty track', keys: [], group, run: addEmptyTrack },
  { id: 'import', name: 'Import files: bring recordings in as new tracks', keys: [], group, run: chooseFiles },
];
