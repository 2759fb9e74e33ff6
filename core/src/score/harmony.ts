import { BarGrid } from '../music';
import type { Song } from '../song';
import { lastAtMost, type HeardSeconds, type Seconds } from '../units';

/** What sounds and what is leaned on at each moment of a song. */

/** A chord is taken to hold a little before it: singers begin early. */
const EARLY: Seconds = 0.05;
/** So far from a beat one is on it, beats. */
const STRONG_BEAT = 0.2;

/** Names of chords by moments; "" where none is known. */
export function chordAtOf({ chords }: Pick<Song, 'chords'>): (t: HeardSeconds) => string {
  const sorted = [...chords].sort((a, b) => a.start - b.start);
  return t => sorted[lastAtMost(sorted, t + EARLY, c => c.start)]?.name ?? '';
}

/** Whether a moment lies on a beat that a bar leans on; none does while no tempo is known. */
export function strongAtOf({ tempo }: Pick<Song, 'tempo'>): (t: HeardSeconds) => boolean {
  if (!tempo) return () => false;
  const grid = new BarGrid(tempo);
  const half = tempo.beatsPerBar % 2 ? tempo.beatsPerBar : tempo.beatsPerBar / 2;
  return t => {
    const beat = grid.beatAt(t);
    return Math.abs(beat - half * Math.round(beat / half)) < STRONG_BEAT;
  };
}
