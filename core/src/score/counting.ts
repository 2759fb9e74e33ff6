import { noteKey, type NoteFacts } from '../plan';
import { spokenSyllables } from '../read';
import { partEdits } from '../parts';
import { editsInOrder, leadTakeOf, type Edits, type NoteEdit, type Song, type Take, type Track } from '../song';
import type { Span, TakeSeconds } from '../units';
import { mannerOf, pitchesOfPart } from './part-pitches';
import type { Score } from './score';

const NONE: Edits = Object.freeze({});

/** The track a part is made from. */
export const sourceOfPart = (song: Pick<Song, 'tracks'>, track: Track): Track | undefined =>
  track.part ? song.tracks.find(t => t.id === track.part!.fromId) : undefined;

type Around = Pick<Score, 'song' | 'takes' | 'scaleAt' | 'chordAt' | 'strongAt' | 'keyAt'>;

const byKey = (spans: readonly Span<TakeSeconds>[], edits: Edits): Edits =>
  Object.fromEntries(
    editsInOrder(spans, edits).flatMap((e, i): [string, NoteEdit][] => (e ? [[noteKey(spans[i]), e]] : [])),
  );

/** Edits of a part's lead as they count for a take of the part; the lead may be a part itself. */
function leadEdits(score: Around, track: Track, take: Take): Edits {
  const lead = sourceOfPart(score.song, track);
  const of = lead && leadTakeOf(track, lead, take.id);
  return of ? countingEdits(score, lead, of) : NONE;
}

/** The notes of a part's take, and what was decided about them in its lead, by the notes' keys; null while it is not read. */
export function besideLead(score: Around, track: Track, take: Take): { notes: NoteFacts[]; leads: Edits } | null {
  const view = score.takes[take.id];
  if (!view?.reading) return null;
  const spans = view.reading.notes;
  return {
    notes: view.notes.map((n, i) => ({ ...n, key: noteKey(spans[i]) })),
    leads: byKey(spans, leadEdits(score, track, take)),
  };
}

const kept = new WeakMap<Edits, WeakMap<Edits, { of: readonly unknown[]; edits: Edits }>>();

/** Edits of a take as they count: its own, and for a part what its rule makes of the lead's; the same object while nothing changed. */
export function countingEdits(score: Around, track: Track, take: Take, own: Edits = take.edits): Edits {
  const view = score.takes[take.id];
  if (!track.part || !sourceOfPart(score.song, track) || !view?.reading) return own;
  const theirs = leadEdits(score, track, take);
  const pitches = pitchesOfPart(score, track, take, view.notes);
  const byLead = kept.get(own) ?? new WeakMap<Edits, { of: readonly unknown[]; edits: Edits }>();
  kept.set(own, byLead);
  const known = byLead.get(theirs);
  if (known && known.of.length === pitches.of.length && known.of.every((v, i) => v === pitches.of[i]))
    return known.edits;
  const { notes, leads } = besideLead(score, track, take)!;
  const made = partEdits(
    notes,
    leads,
    byKey(view.reading.notes, own),
    pitches.along(notes, leads),
    mannerOf(track.part, notes, view.reading),
  );
  // what is spoken goes along as it is, but for what was said of it here
  const edits = { ...byKey(spokenSyllables(view.reading), own), ...made };
  byLead.set(theirs, { of: pitches.of, edits });
  return edits;
}
