import type { Action } from '../../shell/commands';
import { act } from '../../open-song';
import { centreOnSpan, giveVibrato, takeVibrato } from './details';
import { setDrawing, useDrawing } from './drawing';
import { beginWith, firmerWhenShort, STARTS } from './starts';
import { asSungScope, copyScope, pasteScope, nudge, settleScope, togglePin } from './edits';

/** Actions of the Tune desk. */
export const TUNE_ACTIONS: Action[] = [
  ...STARTS.map((s): Action => ({
    id: `start-${s.id}`,
    name: `Start: ${s.name.toLowerCase()}, ${s.about}`,
    keys: [],
    group: 'Tune',
    run: () => beginWith(s),
  })),
  { id: 'short-firmer', name: 'Aim by length: short notes firmer', keys: [], group: 'Tune', run: firmerWhenShort },
  { id: 'settle', name: 'Settle on the nearest allowed pitch', keys: ['S'], group: 'Tune', run: settleScope },
  {
    id: 'settle-chord',
    name: 'Settle on the nearest tone of the chord',
    keys: ['Shift+S'],
    group: 'Tune',
    run: () => act('settle', { to: 'chord' }),
  },
  { id: 'as-sung', name: 'Back to as sung', keys: ['U'], group: 'Tune', run: asSungScope },
  { id: 'pin', name: 'Pin or unpin', keys: ['N'], group: 'Tune', run: togglePin },
  { id: 'up', name: 'Up a step of the key', keys: ['ArrowUp'], group: 'Tune', run: () => nudge(1, 'step') },
  { id: 'down', name: 'Down a step of the key', keys: ['ArrowDown'], group: 'Tune', run: () => nudge(-1, 'step') },
  { id: 'semitone-up', name: 'Up a semitone', keys: ['Shift+ArrowUp'], group: 'Tune', run: () => nudge(1, 'semitone') },
  {
    id: 'semitone-down',
    name: 'Down a semitone',
    keys: ['Shift+ArrowDown'],
    group: 'Tune',
    run: () => nudge(-1, 'semitone'),
  },
  { id: 'fine-up', name: 'Up 5 cents', keys: ['Alt+ArrowUp'], group: 'Tune', run: () => nudge(1, 'fine') },
  { id: 'fine-down', name: 'Down 5 cents', keys: ['Alt+ArrowDown'], group: 'Tune', run: () => nudge(-1, 'fine') },
  { id: 'copy-edits', name: 'Copy the edits of these notes', keys: ['Ctrl+C'], group: 'Tune', run: copyScope },
  {
    id: 'paste-edits',
    name: 'Paste the copied edits on these notes',
    keys: ['Ctrl+V'],
    group: 'Tune',
    run: pasteScope,
  },
  {
    id: 'draw',
    name: 'Draw the pitch, or stop drawing (hold D to draw for a moment)',
    keys: ['I'],
    group: 'Tune',
    run: () => setDrawing(!useDrawing.getState().on),
  },
  { id: 'erase', name: 'Erase what was drawn', keys: ['Shift+I'], group: 'Tune', run: () => act('erase') },
  {
    id: 'centre',
    name: 'The chosen stretch counts for the centre (none chosen: as heard)',
    keys: ['Shift+C'],
    group: 'Tune',
    run: centreOnSpan,
  },
  { id: 'take-vibrato', name: 'Take the vibrato of this note', keys: [], group: 'Tune', run: takeVibrato },
  {
    id: 'give-vibrato',
    name: 'Add the taken vibrato, or a usual one',
    keys: ['Shift+V'],
    group: 'Tune',
    run: giveVibrato,
  },
  {
    id: 'no-vibrato',
    name: 'Take the added vibrato off',
    keys: [],
    group: 'Tune',
    run: () => act('add-vibrato', { depthCents: 0 }),
  },
];
