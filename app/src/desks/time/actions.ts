import { act } from '../../open-song';
import { silencing } from '../../commands/silencing';
import type { Action } from '../../shell/commands';
import { bring, copySound, cutSound, holdHere, lengthen, lengthenByBeats, nudgeByKey, pasteSound } from './edits';
import { toggleNeighbours, useTime } from './state';

/** Actions of the Time desk. */
export const TIME_ACTIONS: Action[] = [
  { id: 'earlier', name: 'Earlier by 10 ms', keys: ['E'], group: 'Time', run: () => nudgeByKey(-1) },
  { id: 'later', name: 'Later by 10 ms', keys: ['R'], group: 'Time', run: () => nudgeByKey(1) },
  { id: 'earlier-fine', name: 'Earlier by 1 ms', keys: ['Shift+E'], group: 'Time', run: () => nudgeByKey(-1, true) },
  { id: 'later-fine', name: 'Later by 1 ms', keys: ['Shift+R'], group: 'Time', run: () => nudgeByKey(1, true) },
  { id: 'shorter', name: 'Shorter by 20 ms', keys: ['D'], group: 'Time', run: () => lengthen(-1) },
  { id: 'longer', name: 'Longer by 20 ms', keys: ['F'], group: 'Time', run: () => lengthen(1) },
  { id: 'hold-beat', name: 'Hold on for a beat more', keys: ['Shift+F'], group: 'Time', run: () => lengthenByBeats(1) },
  { id: 'let-beat', name: 'Let go a beat sooner', keys: ['Shift+D'], group: 'Time', run: () => lengthenByBeats(-1) },
  { id: 'bring', name: 'Bring to the beat, or to the track it is told beside', keys: ['S'], group: 'Time', run: bring },
  { id: 'as-sung', name: 'Time as sung', keys: ['U'], group: 'Time', run: () => act('as-sung', { what: 'time' }) },
  {
    id: 'stitch',
    name: 'Hold this moment: what is about it gives (the pointer, or the playhead)',
    keys: ['T'],
    group: 'Time',
    run: holdHere,
  },
  { id: 'unstitch', name: 'Take the stitches out', keys: ['Shift+T'], group: 'Time', run: () => act('unstitch') },
  {
    id: 'neighbours-give',
    name: 'Neighbours give way, or a gap opens',
    keys: ['N'],
    group: 'Time',
    run: toggleNeighbours,
  },
  {
    id: 'keep-length',
    name: 'The chosen stretch keeps its length',
    keys: ['Y'],
    group: 'Time',
    run: () => act('keep-length'),
  },
  {
    id: 'give-length',
    name: 'The chosen stretch gives',
    keys: ['Shift+Y'],
    group: 'Time',
    run: () => act('keep-length', { gives: true }),
  },
  {
    id: 'snap-time',
    name: 'Dragged onsets catch, or not',
    keys: ['Shift+S'],
    group: 'Time',
    run: () => useTime.setState(s => ({ snap: !s.snap })),
  },
  ...silencing('Time'),
  { id: 'delete-notes', name: 'Delete the chosen notes', keys: ['Delete'], group: 'Time', run: () => act('delete') },
  { id: 'copy-sound', name: 'Copy the sound of what is chosen', keys: ['Ctrl+C'], group: 'Time', run: copySound },
  { id: 'cut-sound', name: 'Cut the sound of what is chosen', keys: ['Ctrl+X'], group: 'Time', run: cutSound },
  { id: 'paste-sound', name: 'Paste the sound at the playhead', keys: ['Ctrl+V'], group: 'Time', run: pasteSound },
];
