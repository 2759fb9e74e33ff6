import { ALIKE, STRETCH_KINDS } from '@essim/core';
import { ALIKE_NAMES, chooseAlike, reshape } from '../commands/choosing';
import {
  hearNextWay,
  joinScope,
  KIND_NAMES,
  likeNeighboursScope,
  meantMoment,
  octaveScope,
  removeScope,
  setScopeKind,
  splitAt,
} from '../commands/corrections';
import { nudge } from '../commands/moving';
import { spanFromPlayhead, toggleGrouped } from '../open-song';
import type { Action } from './commands';

/** Choosing by what notes are, from the command list. */
export const CHOOSING_ACTIONS: Action[] = [
  ...ALIKE.map((by): Action => ({
    id: `alike-${by}`,
    name: `Choose notes ${ALIKE_NAMES[by]}`,
    keys: by === 'name' ? ['A'] : [],
    group: 'Choosing',
    run: () => chooseAlike(by),
  })),
  { id: 'grow', name: 'Grow the selection', keys: ['Alt+ArrowRight'], group: 'Choosing', run: () => reshape('grow') },
  {
    id: 'shrink',
    name: 'Shrink the selection',
    keys: ['Alt+ArrowLeft'],
    group: 'Choosing',
    run: () => reshape('shrink'),
  },
  {
    id: 'group',
    name: 'Viewed tracks take the same commands',
    keys: ['Shift+G'],
    group: 'Choosing',
    run: toggleGrouped,
  },
  {
    id: 'span-start',
    name: 'The stretch begins here',
    keys: ['['],
    group: 'Choosing',
    run: () => spanFromPlayhead('start'),
  },
  { id: 'span-end', name: 'The stretch ends here', keys: [']'], group: 'Choosing', run: () => spanFromPlayhead('end') },
  { id: 'invert', name: 'Invert the selection', keys: ['Ctrl+I'], group: 'Choosing', run: () => reshape('invert') },
];

/** Corrections of the reading by key, the same on every desk. */
export const READING_ACTIONS: Action[] = [
  {
    id: 'split',
    name: 'Cut the note at the pointer',
    keys: ['/'],
    group: 'Reading',
    run: () => splitAt(meantMoment()),
  },
  { id: 'join', name: 'Join the chosen notes', keys: ['J'], group: 'Reading', run: joinScope },
  { id: 'octave-up', name: 'Heard an octave higher', keys: ['O'], group: 'Reading', run: () => octaveScope(1) },
  { id: 'octave-down', name: 'Heard an octave lower', keys: ['Shift+O'], group: 'Reading', run: () => octaveScope(-1) },
  { id: 'next-way', name: 'Heard the next likely way', keys: ['Q'], group: 'Reading', run: hearNextWay },
  { id: 'neighbours', name: 'Heard like the neighbours', keys: ['G'], group: 'Reading', run: likeNeighboursScope },
  { id: 'take-out', name: 'Take the chosen notes out', keys: ['Delete'], group: 'Reading', run: removeScope },
  ...STRETCH_KINDS.map((kind, i): Action => ({
    id: `kind-${kind}`,
    name: `The chosen stretch is ${KIND_NAMES[kind]}`,
    keys: [`Alt+${i + 1}`],
    group: 'Reading',
    run: () => setScopeKind(kind),
  })),
];

/** Moving notes by key, where a desk has not its own meaning for these. */
export const MOVING_ACTIONS: Action[] = [
  { id: 'up', name: 'Up a step of the key', keys: ['ArrowUp'], group: 'Notes', run: () => nudge(1, 'step') },
  { id: 'down', name: 'Down a step of the key', keys: ['ArrowDown'], group: 'Notes', run: () => nudge(-1, 'step') },
  {
    id: 'semitone-up',
    name: 'Up a semitone',
    keys: ['Shift+ArrowUp'],
    group: 'Notes',
    run: () => nudge(1, 'semitone'),
  },
  {
    id: 'semitone-down',
    name: 'Down a semitone',
    keys: ['Shift+ArrowDown'],
    group: 'Notes',
    run: () => nudge(-1, 'semitone'),
  },
  { id: 'fine-up', name: 'Up 5 cents', keys: ['Alt+ArrowUp'], group: 'Notes', run: () => nudge(1, 'fine') },
  { id: 'fine-down', name: 'Down 5 cents', keys: ['Alt+ArrowDown'], group: 'Notes', run: () => nudge(-1, 'fine') },
];
