import { meantSyllables, type NoteEdit, type NoiseSort } from '@essim/core';
import { scopeName } from '../../commands/moving';
import { act, editTrackOf, playStretch, seek, stageNow, useSession, type How } from '../../open-song';
import { tonedNoises, tonedNotes, type TonedNoise, type TonedNote } from './tones';

/** What the Tone desk does. */

const state = useSession.getState;

/** The notes of the edited track that are meant now. */
export function chosenTones(): TonedNote[] {
  const s = state();
  const keys = new Set(
    meantSyllables(stageNow())
      .filter(t => t.track.id === s.editTrackId)
      .map(t => t.note.key),
  );
  return tonedNotes(s).filter(n => keys.has(n.key));
}

type LevelField = 'startDb' | 'middleDb' | 'endDb';
const bounded = (db: number) => Math.round(Math.max(-60, Math.min(24, db)) * 10) / 10;

/** Moves the levels of what is chosen by so many dB, from what they are as stored. */
export function levelBy(db: number, fields: readonly LevelField[], how: How = {}): void {
  const { score, target } = stageNow();
  const [first] = target.tracks.flatMap(t =>
    t.parts.map(p => score.view(t.track.id).edits[p.key] as NoteEdit | undefined),
  );
  act('level', Object.fromEntries(fields.map(f => [f, bounded((first?.[f] ?? 0) + db)])), how);
}
export const ALL_LEVELS: readonly LevelField[] = ['startDb', 'middleDb', 'endDb'];

export const setLevel = (db: number | null, how: How): boolean =>
  act('level', { startDb: db, middleDb: db, endDb: db }, how);
export const setFade = (side: 'inMs' | 'outMs', ms: number | null, how: How): boolean =>
  act('fade', { [side]: ms }, how);

/** Turns all noises of a kind on the edited track. */
export function setNoises(kind: NoiseSort, db: number | null, how: How, field: 'db' | 'together' = 'db'): boolean {
  const track = editTrackOf(state());
  if (!track) return false;
  return act(
    'noises',
    { kind, [field]: db ?? 0 },
    { ...how, target: { tracks: [{ track, parts: [] }], span: null, broad: true } },
  );
}

/** Turns one noise by so much. */
export function setNoise({ kind, start, end }: TonedNoise, db: number, how: How = {}): boolean {
  const track = editTrackOf(state());
  if (!track) return false;
  const target = { tracks: [{ track, parts: [] }], span: { start, end }, broad: false };
  return act('noises', { kind, db: Math.round(Math.max(-60, Math.min(12, db)) * 10) / 10 }, { ...how, target });
}

export function setClean(fields: { gapsDb?: number; clicks?: boolean }, how: How = {}): boolean {
  const track = editTrackOf(state());
  return (
    !!track && act('clean', fields, { ...how, target: { tracks: [{ track, parts: [] }], span: null, broad: true } })
  );
}

/** How far over what is usual a noise is now, dB. */
export const overUsual = (n: TonedNoise): number => n.nowDb - n.usualDb;

let lastShown = -1;
/** Goes to the noise that is loudest beside what is usual, then to the next, and plays it with what is about it. */
export function nextNoise(): void {
  const list = [...tonedNoises(state())].sort((a, b) => overUsual(b) - overUsual(a));
  if (!list.length) return;
  lastShown = (lastShown + 1) % list.length;
  const { start, end } = list[lastShown];
  seek(start);
  const { view } = state();
  const [length, middle] = [view.to - view.from, (start + end) / 2];
  if (middle < view.from || middle > view.to)
    useSession.setState({ view: { ...view, from: middle - length / 2, to: middle + length / 2 } });
  void playStretch(Math.max(0, start - 0.4), end + 0.4);
}

export const byKey = (db: number): void => levelBy(db, ALL_LEVELS, { kind: `level ${scopeName(state())}` });
