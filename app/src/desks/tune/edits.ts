import {
  FADERS,
  faderArgument,
  touchedNotes,
  type Fader,
  type NoteEdit,
  type ScopePart,
  type Snap,
  type TrackNote,
} from '@essim/core';
import { scopeName } from '../../commands/moving';
import { act, scoreOf, targetOf, useSession, viewOf, type How } from '../../open-song';

/** The Tune desk's commands as its keys, faders and pointer give them; what they do is core's intents. */

export { FADERS, type Fader, type Snap };

export interface Target {
  trackId: string;
  note: TrackNote;
  edit: NoteEdit | undefined;
  /** What of it is meant. */
  part: ScopePart;
}

/** The notes a tuning command acts on now, of every track of the group, with what is decided about them. */
export const inScope = (s = useSession.getState()): Target[] => touchedInScope(s).filter(t => t.part.mostly);

/** The same, those of which a chosen stretch holds only a little too: faders then mean that part of them. */
export const touchedInScope = (s = useSession.getState()): Target[] =>
  touchedNotes({ score: scoreOf(s), target: targetOf(s) }).map(({ track, note, part }) => ({
    trackId: track.id,
    note,
    edit: viewOf(s, track.id).edits[note.key],
    part,
  }));

/** Puts the notes in scope on the nearest allowed step; pinned ones stay. */
export const settleScope = (): boolean => act('settle', { to: 'key' });

/** Takes every edit off the notes in scope; they sound as sung. */
export const asSungScope = (): boolean => act('as-sung');

/** Moves notes of the edited track, and what lies alongside them in the group, by an interval, snapped. */
export const moveNotes = (parts: readonly ScopePart[], semitones: number, snap: Snap, how: How): boolean =>
  act('move', { semitones, snap }, { ...how, parts });

/** A fader's value on a note; Aim is 0 while the note has no target. Null: as sung. */
export function faderValue(t: Target, fader: Fader): number | null {
  const own = partValue(t, fader);
  if (own !== undefined) return own;
  if (fader === 'aim') return t.edit?.target === undefined ? 0 : (t.edit.aim ?? 100);
  return t.edit?.[fader] ?? FADERS[fader].rest;
}

/** What was decided about the part of a note that is meant. */
function partValue({ note, edit, part }: Target, fader: Fader): number | undefined {
  if (part.whole || !edit?.parts || fader === 'glide') return undefined;
  const middle = note.place.toTake((part.start + part.end) / 2);
  return edit.parts.find(p => middle >= p.start && middle < p.end)?.[fader];
}

/** Sets a fader on the notes in scope. Null goes back to as sung. */
export const setFader = (fader: Fader, value: number | null, how: How): boolean =>
  act('shape', { [faderArgument(fader)]: value }, how);

/** Names a fader over the present scope, so that presses that follow each other are one entry. */
export const faderKind = (fader: Fader): string => `shape ${fader} ${scopeName(useSession.getState())}`;

/** Why what is about joins cannot be set, where none of some notes is sung on from the one before it. */
export const noJoin = (list: readonly Target[]): typeof NO_JOIN | undefined =>
  list.length > 0 && list.every(t => t.note.joined === false) ? NO_JOIN : undefined;
const NO_JOIN = { text: 'no join', why: 'None of these notes is sung on from the one before it' };

/** Pins or unpins the notes in scope. */
export const togglePin = (): boolean => act(inScope().every(t => t.edit?.pinned) ? 'unpin' : 'pin');

/** Puts the notes in scope on one pitch. */
export const placeScope = (pitch: number): boolean => act('place', { pitch });
