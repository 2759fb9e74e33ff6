import { stackLeadOf } from './place';
import type { Guide, Song, Track } from '../song';
import { lastAtMost, overlapOf, type HeardSeconds, type Midi, type Seconds, type Span } from '../units';

/** A melody guide beside what is sung: which of its notes each note is meant to be. */

/** A note of a guide where it is heard. */
export interface PlacedGuideNote extends Span<HeardSeconds> {
  midi: Midi;
  /** Its place in the guide. */
  index: number;
}

/** Less of the shorter one than this in common, and a note is not meant. */
const LEAST_SHARE = 0.25;

/** The guide a track is meant to sing: its own, or that of the track it follows. */
export function guideOf(song: Pick<Song, 'tracks'>, track: Track): Guide | null {
  const seen = new Set<Track>();
  for (let at: Track | undefined = track; at && !seen.has(at); at = stackLeadOf(song, at)) {
    if (at.guide) return at.guide;
    seen.add(at);
  }
  return null;
}

const placed = new WeakMap<Guide, PlacedGuideNote[]>();
/** A guide's notes where they are heard, in time order. */
export function guideNotes(guide: Guide): readonly PlacedGuideNote[] {
  let notes = placed.get(guide);
  if (!notes) {
    notes = guide.notes.map((n, index) => ({
      index,
      start: n.start + guide.offsetSeconds,
      end: n.end + guide.offsetSeconds,
      midi: n.midi,
    }));
    placed.set(
      guide,
      notes.sort((a, b) => a.start - b.start),
    );
  }
  return notes;
}

/** The octave of a pitch that is nearest to another. */
export const foldedTo = (midi: Midi, near: Midi): Midi => midi + 12 * Math.round((near - midi) / 12);

/** The guide's note that is sung longest during a note, at the pitch it is meant for; null where there is none. */
export function claimed(guide: Guide, note: Span & { sung: Midi }): PlacedGuideNote | null {
  const notes = guideNotes(guide);
  let best: PlacedGuideNote | null = null;
  let longest = 0;
  for (let i = lastAtMost(notes, note.end, n => n.start); i >= 0; i--) {
    const overlap = overlapOf(notes[i], note);
    const shorter = Math.min(note.end - note.start, notes[i].end - notes[i].start);
    if (overlap > longest && overlap >= LEAST_SHARE * shorter) [longest, best] = [overlap, notes[i]];
    // guides are of one voice as a rule; where they are not, a long note may have begun before
    if (notes[i].start < note.start - LONGEST) break;
  }
  return best && guide.fold ? { ...best, midi: foldedTo(best.midi, note.sung) } : best;
}
/** A guide's note is not held longer. */
const LONGEST: Seconds = 60;

/** Steps in which a guide is laid over what was sung. */
const GRID: Seconds = 0.02;
/** Two pitches count as one up to here. */
const NEAR: Midi = 0.8;
/** A guide is left where it is while it lies there about as well as anywhere. */
const GOOD_ENOUGH = 0.9;

/**
 * By how much a guide has to be moved to lie on what was sung.
 * @param notes as sung, in time order @param fold whether octaves count as one
 */
export function offsetFor(
  guide: readonly (Span & { midi: Midi })[],
  notes: readonly (Span & { sung: Midi })[],
  fold: boolean,
): Seconds {
  if (!guide.length || !notes.length) return 0;
  const end = Math.max(...notes.map(n => n.end), ...guide.map(n => n.end));
  const frames = Math.min(200_000, Math.ceil(end / GRID) + 1);
  const sung = new Float32Array(frames).fill(NaN);
  const on = (t: Seconds) => Math.max(0, Math.min(frames, Math.round(t / GRID)));
  for (const n of notes) sung.fill(n.sung, on(n.start), on(n.end));
  const matched = (by: number): number => {
    let count = 0;
    for (const g of guide)
      for (let k = Math.round(g.start / GRID) + by; k < Math.round(g.end / GRID) + by; k++) {
        const away = k >= 0 && k < frames ? sung[k] - g.midi : NaN;
        if (Math.abs(fold ? away - 12 * Math.round(away / 12) : away) < NEAR) count++;
      }
    return count;
  };
  const still = matched(0);
  let [best, most] = [0, still];
  for (let by = 1; by < frames; by++)
    for (const at of [by, -by]) {
      const count = matched(at);
      if (count > most) [best, most] = [at, count];
    }
  return still >= GOOD_ENOUGH * most ? 0 : best * GRID;
}
