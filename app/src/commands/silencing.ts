import { act } from '../open-song';
import type { Action } from '../shell/commands';

/** Muting notes, at the desks where they are moved and weighed. */
export const silencing = (group: string): Action[] => [
  { id: 'mute-notes', name: 'Mute the chosen notes', keys: ['M'], group, run: () => act('mute') },
  {
    id: 'unmute-notes',
    name: 'Let the chosen notes be heard again',
    keys: ['Shift+M'],
    group,
    run: () => act('mute', { off: true }),
  },
];
