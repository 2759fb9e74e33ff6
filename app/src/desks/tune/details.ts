import { VibratoRecord, wholeNote, type NoteEdit, type SungVibrato } from '@essim/core';
import { create } from 'zustand';
import { act, useSession, type How } from '../../open-song';
import { inScope, type Target } from './edits';
import type { ValueLook } from '../../shell/ValueRow';

/** What a note does beyond the six faders, as the panel and the field show and set it. */

export interface Detail extends ValueLook {
  command: 'shape' | 'tilt' | 'ends' | 'begin' | 'add-vibrato' | 'set-vibrato';
  argument: string;
  of: (edit: NoteEdit | undefined) => number | null;
}

const cents = { unit: 'cents', leastTyped: -1200, mostTyped: 1200, step: 1, rest: 0 } as const;
export const LINE_DETAILS: readonly Detail[] = [
  { name: 'Tilt', command: 'tilt', argument: 'cents', low: -200, high: 200, ...cents, of: e => e?.tilt ?? 0 },
  {
    name: 'First',
    command: 'ends',
    argument: 'startCents',
    low: -300,
    high: 300,
    ...cents,
    of: e => e?.startCents ?? 0,
  },
  { name: 'Last', command: 'ends', argument: 'endCents', low: -300, high: 300, ...cents, of: e => e?.endCents ?? 0 },
  {
    name: 'Begins',
    command: 'begin',
    argument: 'ms',
    unit: 'ms',
    low: 0,
    high: 1000,
    mostTyped: 10000,
    step: 5,
    rest: 0,
    of: e => e?.begin ?? 0,
  },
];

/** Where a note is drawn to its rail as a whole take is. */
export const SETTLE_DETAIL: Detail = {
  name: 'Settles in',
  command: 'shape',
  argument: 'settleMs',
  unit: 'ms',
  low: 0,
  high: 600,
  step: 5,
  rest: null,
  of: e => e?.settle ?? null,
};

/** How much later the way in lies than it was sung. */
export const PLACE_DETAIL: Detail = {
  name: 'Glide lies',
  command: 'shape',
  argument: 'glidePlaceMs',
  unit: 'ms',
  low: -200,
  high: 200,
  leastTyped: -500,
  mostTyped: 500,
  step: 5,
  rest: 0,
  of: e => e?.glidePlace ?? 0,
};

const usual = new VibratoRecord();
export const ADDED_DETAILS: readonly (Detail & { field: keyof VibratoRecord })[] = (
  [
    ['Depth', 'depthCents', 'cents', 0, 120, 200, 1],
    ['Rate', 'rateHz', 'Hz', 3, 8, 12, 0.1],
    ['Delay', 'delayMs', 'ms', 0, 2000, 10000, 10],
    ['Build', 'buildMs', 'ms', 0, 2000, 10000, 10],
    ['Unrest', 'unrest', '%', 0, 100, 100, 1],
    ['Sway', 'sway', '%', 0, 100, 100, 1],
  ] as const
).map(([name, field, unit, low, high, mostTyped, step]) => ({
  name,
  field,
  command: 'add-vibrato',
  argument: field,
  unit,
  low,
  high,
  leastTyped: field === 'rateHz' ? 2 : 0,
  mostTyped,
  step,
  rest: field === 'depthCents' ? 0 : usual[field],
  of: e => e?.added?.[field] ?? (field === 'depthCents' ? 0 : null),
}));

export const SUNG_DETAILS: readonly Detail[] = [
  {
    name: 'Sung rate',
    command: 'set-vibrato',
    argument: 'rateHz',
    unit: 'Hz',
    low: 3,
    high: 8,
    leastTyped: 2,
    mostTyped: 12,
    step: 0.1,
    rest: null,
    of: e => e?.vibratoHz ?? null,
  },
  {
    name: 'Evened',
    command: 'set-vibrato',
    argument: 'even',
    unit: '%',
    low: 0,
    high: 100,
    step: 1,
    rest: 0,
    of: e => e?.even ?? 0,
  },
];

/** Sets a detail of some notes; of those in scope where none are named. */
export function setDetail({ command, argument }: Detail, value: number | null, how: How, only?: Target[]): boolean {
  const mine = only?.filter(t => t.trackId === useSession.getState().editTrackId);
  return act(command, { [argument]: value }, { ...how, ...(mine ? { parts: mine.map(t => wholeNote(t.note)) } : {}) });
}

/** Lets the chosen stretch count for the centre of the notes in it; with no stretch chosen, what the ear takes for it. */
export function centreOnSpan(): boolean {
  const { span } = useSession.getState().selection;
  return act('centre', { from: span?.start ?? null, to: span?.end ?? null });
}

/** A vibrato taken from a note, to be put on others. */
export const useTaken = create<{ vibrato: SungVibrato | null }>(() => ({ vibrato: null }));

const firstWith = (list: Target[]) => list.find(t => t.note.vibrato ?? t.edit?.added);

/** Whether a note in scope has a vibrato to learn from. */
export const hasVibrato = (list: Target[]): boolean => !!firstWith(list);

/** Learns the vibrato of the first note in scope that has one. */
export function takeVibrato(): void {
  const from = firstWith(inScope());
  if (!from) return;
  const { rateHz, depthCents, delayMs, buildMs } = from.note.vibrato ?? from.edit!.added!;
  useTaken.setState({ vibrato: { rateHz, depthCents, delayMs, buildMs } });
}

/** Puts the vibrato that was taken, or a usual one, on the notes in scope. */
export function giveVibrato(): boolean {
  const { rateHz, depthCents, delayMs, buildMs } = useTaken.getState().vibrato ?? usual;
  return act('add-vibrato', { rateHz, depthCents, delayMs, buildMs });
}
