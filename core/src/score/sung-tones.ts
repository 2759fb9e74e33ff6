import { COLOUR_EVERY, meanColour, meanLoudness } from '../measure';
import { BANDS } from '../plan';
import { HOP } from '../read';
import { median } from '../signal/statistics';
import { phrasesOfNotes, type Track } from '../song';
import type { Decibels } from '../units';
import type { Score } from './score';
import type { TakeSound } from './take-sound';
import type { TrackSyllable } from './track-view';

/** How loud and how coloured a note was sung; null where nothing of it is pitched, or its take's sound is not known yet. */
export interface SungTone {
  /** K-weighted, over its pitched frames; its consonants and noises are left out. */
  loudDb: Decibels | null;
  /** The middle of its phrase. */
  phraseDb: Decibels | null;
  /** A number a band, beside the mean of them all. */
  colour: Float32Array | null;
}

const NOTHING: SungTone = { loudDb: null, phraseDb: null, colour: null };
const known = new WeakMap<readonly TrackSyllable[], { of: unknown[]; tones: SungTone[] }>();

/** What the sound of a note's take tells, where it was listened to. */
export const soundOfNote = (score: Pick<Score, 'takes'>, { takeId }: TrackSyllable): TakeSound | undefined =>
  score.takes[takeId]?.sound?.();

/** Pitched frames of a note's body, in its take. */
export function* pitchedFrames(
  score: Pick<Score, 'takes'>,
  { takeId, place, onset, end }: TrackSyllable,
): Generator<number> {
  const f0 = score.takes[takeId]?.reading?.f0;
  for (let k = Math.round(place.toTake(onset) / HOP); f0 && k < Math.round(place.toTake(end) / HOP); k++)
    if (f0[k] > 0) yield k;
}

/** The syllables of a track as they were sung or spoken, in order. No edit changes them: found once for what was read and listened to. */
export function sungTones(score: Score, { id }: Pick<Track, 'id'>): SungTone[] {
  const { syllables: notes, phrases } = score.view(id);
  const of = [phrases, ...[...new Set(notes.map(n => n.takeId))].map(takeId => score.takes[takeId]?.sound)];
  const old = known.get(notes);
  if (old && old.of.length === of.length && old.of.every((v, i) => v === of[i])) return old.tones;
  const tones = notes.map((n): SungTone => {
    const sound = soundOfNote(score, n);
    if (!sound) return { ...NOTHING };
    const [from, to] = [n.onset, n.end].map(t => n.place.toTake(t) / HOP);
    return {
      loudDb: meanLoudness(sound.loudnessDb, pitchedFrames(score, n)),
      phraseDb: null,
      colour: meanColour(sound.colour.envelope, BANDS.length, from + COLOUR_EVERY, to - COLOUR_EVERY),
    };
  });
  const phraseOf = phrasesOfNotes(notes, phrases);
  for (const p of new Set(phraseOf)) {
    const mine = tones.filter((_, i) => phraseOf[i] === p);
    const loud = mine.flatMap(t => t.loudDb ?? []);
    if (loud.length) for (const t of mine) t.phraseDb = median(loud);
  }
  known.set(notes, { of, tones });
  return tones;
}
