import { changeTrack, together, withNoteEdits, type Change, type NoteEdit, type Song } from '../song';
import { nearestStep } from '../music';
import { editableSpans } from '../read';
import type { Score, TrackSyllable } from '../score';
import { clamp, type Midi } from '../units';
import { Refused, type Acted, type Stage, type TargetNote, type TargetSyllable } from './intent';

/** The one way edits of notes get into a song. */

/** An edit of a syllable as it stands in its track's view; null takes it off. Its span is the syllable's, whatever it says. */
export type NoteChange = [note: TrackSyllable, edit: NoteEdit | null];

/** The song with the edits of some notes set. */
export function withEdits(score: Score, changes: readonly NoteChange[], newId: () => string): Song {
  const byTake = new Map<string, Map<number, NoteEdit | null>>();
  for (const [note, edit] of changes) {
    const list = byTake.get(note.takeId) ?? new Map<number, NoteEdit | null>();
    byTake.set(note.takeId, list.set(note.index, edit));
  }
  const steps = score.song.tracks.flatMap((track): Change[] => {
    if (!track.takes.some(t => byTake.has(t.id))) return [];
    return [
      changeTrack(track.id, t => ({
        ...t,
        takes: t.takes.map(take => {
          const list = byTake.get(take.id);
          const reading = score.takes[take.id]?.reading;
          if (!list || !reading) return take;
          return { ...take, edits: withNoteEdits(take.edits, editableSpans(reading), list, newId) };
        }),
      })),
    ];
  });
  return together(steps)(score.song);
}

/** What is decided about a note now, to be changed: its span, and nothing else where it is as sung. */
export const editOf = (score: Score, { track, note }: TargetSyllable): NoteEdit => ({
  ...score.view(track.id).edits[note.key],
  start: note.start,
  end: note.end,
});

/** The notes a command may move: of a broad target those placed by hand stay. @throws Refused when there are none */
export function movableNotes<T extends TargetSyllable>(stage: Stage, all: readonly T[]): T[] {
  if (!all.length) throw new Refused('there are no notes to act on');
  if (!stage.target.broad) return [...all];
  const free = all.filter(t => !stage.score.view(t.track.id).edits[t.note.key]?.pinned);
  if (!free.length) throw new Refused(all.length > 1 ? 'all of these notes are pinned' : 'this note is pinned');
  return free;
}

/** Sets something of every note and says so. Null takes everything off it. */
export function setting<T extends TargetSyllable>(
  stage: Stage,
  label: string,
  list: readonly T[],
  set: (e: NoteEdit, t: T) => NoteEdit | null,
): Acted {
  const changes = list.map((t): NoteChange => [t.note, set(editOf(stage.score, t), t)]);
  return { label, song: withEdits(stage.score, changes, stage.newId) };
}

/** Pitches a note can be put on. */
const LOWEST: Midi = 0;
const HIGHEST: Midi = 128;
export const inBounds = (pitch: Midi): Midi => clamp(Math.round(pitch * 1e6) / 1e6, LOWEST, HIGHEST);

/** Where a note is meant to be. */
export const railOf = (edit: NoteEdit, { note }: TargetNote): Midi => edit.target ?? note.sung;

/** A note that goes so far to its rail; one that was put nowhere yet goes to the nearest allowed step. */
export const aimed = (stage: Stage, edit: NoteEdit, { note }: TargetNote, aim: number): NoteEdit => ({
  ...edit,
  target: edit.target ?? inBounds(nearestStep(stage.score.scaleAt(note.start), note.sung * 100) / 100),
  aim,
});
