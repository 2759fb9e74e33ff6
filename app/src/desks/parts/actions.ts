import { median, partName, usualCompasses, type PartLine, type Track } from '@essim/core';
import { addPart, makeParts, sourceForParts } from '../../commands/parts';
import { act, currentScope, editTrackOf, useSession, viewOf } from '../../open-song';
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
  { id: 'made-double', name: 'Make a double', keys: ['Alt+D'], group: 'Parts', run: () => makeDouble(0) },
  ...QUICK.map(({ line, key }) => ({
    id: `part-${line.by}-${line.amount}`,
    name: `Make a part: ${partName(line).toLowerCase()}`,
    keys: [key],
    group: 'Parts',
    run: () => addPart(line),
  })),
];
