import { noteKey } from '../plan';
import { partEdits } from '../parts';
import { editsInOrder, leadTakeOf, type Edits, type NoteEdit, type Song, type Take, type Track } from '../song';
import type { Score } from './score';

const NONE: Edits = Object.freeze({});

/** The track a part is made from. */
export const sourceOfPart = (song: Pick<Song, 'tracks'>, track: Track): Track | undefined =>
  track.part ? song.tracks.find(t => t.id === track.part!.fromId) : undefined;

const kept = new WeakMap<Edits, WeakMap<Edits, { of: unknown[]; edits: Edits }>>();

/** Edits of a take as they count: its own, and for a part what its rule makes of the lead's; the same object while nothing changed. */
export function countingEdits(
  score: Pick<Score, 'song' | 'takes' | 'scaleAt'>,
  track: Track,
  take: Take,
  own: Edits = take.edits,
): Edits {
  const lead = sourceOfPart(score.song, track);
  const view = score.takes[take.id];
  if (!lead || !track.part || !view?.reading) return own;
  const { scaleAt } = score;
  const theirs = leadTakeOf(track, lead, take.id)?.edits ?? NONE;
  const of = [view.notes, track.part, scaleAt, take.offsetSeconds];
  const byLead = kept.get(own) ?? new WeakMap<Edits, { of: unknown[]; edits: Edits }>();
  kept.set(own, byLead);
  const known = byLead.get(theirs);
  if (known?.of.every((v, i) => v === of[i])) return known.edits;
  const spans = view.reading.notes;
  const byKey = (edits: Edits) =>
    Object.fromEntries(
      editsInOrder(spans, edits).flatMap((e, i): [string, NoteEdit][] => (e ? [[noteKey(spans[i]), e]] : [])),
    );
  const notes = view.notes.map((n, i) => ({ ...n, key: noteKey(spans[i]) }));
  const edits = partEdits(notes, byKey(theirs), byKey(own), track.part, t => scaleAt(t + take.offsetSeconds));
  byLead.set(theirs, { of, edits });
  return edits;
}
