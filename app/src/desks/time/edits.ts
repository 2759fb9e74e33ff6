import { BarGrid, type Value } from '@essim/core';
import { toast } from 'sonner';
import { scopeName } from '../../commands/moving';
import { act, editTrackOf, editViewOf, player, songOf, useSession, type How } from '../../open-song';
import { useTime } from './state';
import { meantTimes, quantiseArgs } from './timed';

/** What the Time desk does to notes. */

const state = useSession.getState;
const neighbours = () => ({ neighbours: useTime.getState().neighbours });
/** By a press of a key, s. */
const STEP = 0.01;
const FINE = 0.001;

/** Moves what is chosen so much later. */
export const nudge = (seconds: number, how: How = {}): boolean =>
  act('nudge', { ms: Math.round(seconds * 1e6) / 1e3, ...neighbours() }, how);

export const nudgeByKey = (direction: 1 | -1, fine = false): boolean =>
  nudge(direction * (fine ? FINE : STEP), { kind: `time ${scopeName(state())}` });

/** Lets what is chosen begin or end elsewhere. */
export const stretch = (to: { start?: number; end?: number }, how: How = {}): boolean =>
  act('stretch', { ...to, ...neighbours() } as Record<string, Value>, how);

/** Puts what is chosen so much later than if nothing was moved, ms. */
export function setMove(ms: number | null, how: How): void {
  const meant = meantTimes();
  if (meant) nudge(((ms ?? 0) - meant.moveMs) / 1000, how);
}

/** Lets what is chosen be so much of its length if nothing was moved, %. */
export function setLength(percent: number | null, how: How): void {
  const meant = meantTimes();
  if (meant) stretch({ end: meant.start + ((meant.end - meant.start) * (percent ?? 100)) / meant.lengthPercent }, how);
}

/** Longer or shorter by a press of a key. */
export function lengthen(direction: 1 | -1): void {
  const meant = meantTimes();
  if (meant) stretch({ end: meant.end + direction * 2 * STEP }, { kind: `length ${scopeName(state())}` });
}

/** How fast what is chosen speaks, %. */
export const setOnset = (speed: number | null, how: How): boolean => act('onset', { speed: speed ?? 100 }, how);

export const bring = (): boolean =>
  useTime.getState().against === 'sung' ? act('as-sung', { what: 'time' }) : act('quantise', quantiseArgs(state()));

/** A moment inside a note, held where it is: the playhead, or where the pointer is. */
export function holdHere(): void {
  const { playing } = state();
  const at = (playing ? null : pointed) ?? player()?.position ?? 0;
  act('stitch', { at, to: at }, { parts: partsAt(at) });
}
/** Where the pointer is over the field, song s. */
let pointed: number | null = null;
export const pointsAt = (t: number | null): void => void (pointed = t);

/** The note that sounds at a moment, whatever is chosen. */
export function partsAt(at: number) {
  const note = editViewOf(state()).syllables.find(n => n.start < at && n.end > at);
  return note ? [{ key: note.key, start: note.start, end: note.end, whole: true, mostly: true }] : [];
}

// ---- sound cut and pasted

let clip: { trackName: string; from: number; to: number } | null = null;

/** A little of what is about notes goes along, so that no consonant is cut, s. */
const ABOUT = 0.06;

/** Remembers where what is chosen sounds: a stretch as it is, notes with a little about them. */
export function copySound(): boolean {
  const s = state();
  const track = editTrackOf(s);
  const { span } = s.selection;
  const ends = span ?? meantTimes();
  if (!track || !ends) return false;
  const room = span ? 0 : ABOUT;
  clip = { trackName: track.name, from: Math.max(0, ends.start - room), to: ends.end + room };
  toast(`${(clip.to - clip.from).toFixed(2)} s of ${track.name} copied: put the playhead where it goes, and paste.`, {
    id: 'copied',
  });
  return true;
}

export function cutSound(): void {
  if (copySound()) act('delete');
}

/** Brings what was copied to the playhead. */
export function pasteSound(): void {
  const s = state();
  const track = editTrackOf(s);
  if (!clip || !track) return void toast('Paste: nothing was copied yet.', { id: 'refused' });
  const at = player()?.position ?? 0;
  const parts = { tracks: [{ track, parts: [] }], span: null, broad: false };
  act('paste', { from: clip.from, to: clip.to, track: clip.trackName, at }, { target: parts });
}

/** Lets what is chosen last so many beats longer. */
export function lengthenByBeats(beats: number): void {
  const meant = meantTimes();
  const tempo = songOf(state())?.tempo;
  if (!meant || !tempo) return void toast('This song has no tempo yet.', { id: 'refused' });
  const grid = new BarGrid(tempo);
  stretch({ end: grid.secondsAt(grid.beatAt(meant.end) + beats) });
}
