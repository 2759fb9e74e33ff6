import { median, partName, usualCompasses, type PartLine, type Track } from '@essim/core';
import { addPart, drawAgain, makeParts, sourceForParts } from '../../commands/parts';
import { act, currentScope, editTrackOf, useSession, viewOf } from '../../open-song';
import {
  joinUnpicked,
  nudgeUnpicked,
  partUnpicked,
  stepUnpicked,
  takeBackUnpicked,
  toggleNote,
  useUnpicked,
} from '../../commands/unpicking';
import type { Action } from '../../shell/commands';
import { armKeys } from './live';
import { useSource } from './state';

/** Parts made with one press, nearest first. */
export const QUICK: { line: PartLine; key: string }[] = [
  { line: { by: 'steps', amount: 2 }, key: 'Alt+3' },
  { line: { by: 'steps', amount: -2 }, key: 'Alt+Shift+3' },
  { line: { by: 'steps', amount: 3 }, key: 'Alt+4' },
  { line: { by: 'steps', amount: -3 }, key: 'Alt+Shift+4' },
  { line: { by: 'steps', amount: 5 }, key: 'Alt+6' },
  { line: { by: 'steps', amount: -5 }, key: 'Alt+Shift+6' },
  { line: { by: 'semitones', amount: 12 }, key: 'Alt+8' },
  { line: { by: 'semitones', amount: -12 }, key: 'Alt+Shift+8' },
];

const state = useSession.getState;

/** The usual compasses of so many voices about a track. */
export function voicesAbout(track: Track, count: number) {
  const { notes } = viewOf(state(), track.id);
  return notes.length ? usualCompasses(count, median(notes.map(n => n.sung))) : [];
}

export function chordParts(count: number): void {
  const lead = sourceForParts(state());
  makeParts('chord-parts', lead ? { voices: voicesAbout(lead, count) } : {}, lead);
}

/** The chosen note, the phrase or the part, led another way than now; pressed again, yet another. */
let ways = 0;
export function anotherWay(): void {
  const { parts } = currentScope(state());
  ways++;
  act('another-way', { seed: ways }, parts.length ? { parts } : {});
}

export const makeDouble = (semitones: number): void =>
  makeParts('double', { semitones }, editTrackOf(state())?.part ? editTrackOf(state()) : sourceForParts(state()));

/** Does something to the unpicked note that is chosen. */
const onUnpicked = (run: (index: number) => void) => () => {
  const { found, chosen } = useUnpicked.getState();
  if (found && chosen !== null) run(chosen);
};
const UNPICKED_ACTIONS: Action[] = [
  { id: 'unpicked-next', name: 'Unpicked: next note', keys: [']'], group: 'Parts', run: () => stepUnpicked(1) },
  { id: 'unpicked-last', name: 'Unpicked: note before', keys: ['['], group: 'Parts', run: () => stepUnpicked(-1) },
  {
    id: 'unpicked-toggle',
    name: 'Unpicked: take the note out or in',
    keys: ['Alt+X'],
    group: 'Parts',
    run: onUnpicked(toggleNote),
  },
  {
    id: 'unpicked-cut',
    name: 'Unpicked: sung anew in the middle of the note',
    keys: ['Alt+S'],
    group: 'Parts',
    run: onUnpicked(i => {
      const { start, end } = useUnpicked.getState().found!.notes[i];
      partUnpicked(i, (start + end) / 2);
    }),
  },
  {
    id: 'unpicked-join',
    name: 'Unpicked: join the note with the next',
    keys: ['Alt+J'],
    group: 'Parts',
    run: onUnpicked(joinUnpicked),
  },
  {
    id: 'unpicked-earlier',
    name: 'Unpicked: the note earlier',
    keys: [],
    group: 'Parts',
    run: onUnpicked(i => nudgeUnpicked(i, -0.02)),
  },
  {
    id: 'unpicked-later',
    name: 'Unpicked: the note later',
    keys: [],
    group: 'Parts',
    run: onUnpicked(i => nudgeUnpicked(i, 0.02)),
  },
  {
    id: 'unpicked-back',
    name: 'Unpicked: take the last change back',
    keys: ['Alt+Z'],
    group: 'Parts',
    run: takeBackUnpicked,
  },
];

/** Actions of the Parts desk. */
export const PARTS_ACTIONS: Action[] = [
  {
    id: 'chord-parts',
    name: 'Make two parts from the chords',
    keys: ['Alt+C'],
    group: 'Parts',
    run: () => chordParts(2),
  },
  { id: 'another-way', name: 'Lead it another way', keys: ['Alt+W'], group: 'Parts', run: anotherWay },
  {
    id: 'part-from',
    name: 'Make a part that sings the guide',
    keys: ['Alt+G'],
    group: 'Parts',
    run: () => makeParts('part-from', {}, sourceForParts(state())),
  },
  {
    id: 'live-keys',
    name: 'Sing what is held on keys',
    keys: ['Shift+B'],
    group: 'Parts',
    run: () => {
      useSource.setState({ source: 'keys' });
      armKeys(useSource.getState().voices);
    },
  },
  ...UNPICKED_ACTIONS,
  {
    id: 'scatter-again',
    name: 'Draw the scatter of the edited part again',
    keys: [],
    group: 'Parts',
    run: () => {
      const part = editTrackOf(state());
      if (part?.part) drawAgain(part);
    },
  },
  { id: 'made-double', name: 'Make a double', keys: ['Alt+D'], group: 'Parts', run: () => makeDouble(0) },
  ...QUICK.map(({ line, key }) => ({
    id: `part-${line.by}-${line.amount}`,
    name: `Make a part: ${partName(line).toLowerCase()}`,
    keys: [key],
    group: 'Parts',
    run: () => addPart(line),
  })),
];
