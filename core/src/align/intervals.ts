import type { Semitones } from '../units';

/** Intervals are counted in half semitones, from so far below to as far above: whatever two pitches are. */
const PARTS = 2;
const WIDEST: Semitones = 128;
const COUNT = 2 * WIDEST * PARTS + 1;
/** A voice is so far off the pitch it means, either way. Semitones. */
const SPREAD = 1;
/** Too little is sung by both to say anything. Frames. */
const LEAST_FRAMES = 150;
/** Share of a chance that is never taken away: any interval can occur. */
const ANYTHING = 0.05;
/** What is so much less likely (natural logarithm) than the usual costs the most. */
const UNLIKELY = 2.5;

/** Place of an interval among the prices, both pitches known. */
export const intervalIndex = (follower: Semitones, lead: Semitones): number =>
  ((lead - follower + WIDEST) * PARTS + 0.5) | 0;

/**
 * What two voices that sing the same words keep between them: unison, an octave, thirds, or nothing in particular. The intervals of
 * moments that were found to match are counted against those of moments that have nothing to do with each other; an interval costs the
 * more, the less likely it is among the former. Where any interval is as likely as by chance (a free counterpart) nothing costs.
 * @param matched, strangers intervals in semitones
 * @param trust how much a usual interval speaks for a match by itself, 0..1: the more, the less alike the two voices are
 * @returns price -trust..1 by intervalIndex; null when too little is known
 */
export function intervalPrices(
  matched: readonly Semitones[],
  strangers: readonly Semitones[],
  trust = 0,
): Float32Array | null {
  if (matched.length < LEAST_FRAMES || strangers.length < LEAST_FRAMES) return null;
  const together = likelihoods(matched);
  const chance = likelihoods(strangers);
  const sureness = Float64Array.from(together, (v, i) => Math.log(v / chance[i]));
  const usual = matched.map(v => sureness[indexOf(v)]).sort((a, b) => a - b)[matched.length >> 1];
  const bonus = trust * Math.max(0, Math.min(1, usual / UNLIKELY));
  return Float32Array.from(sureness, v => Math.max(0, Math.min(1, (usual - v) / UNLIKELY)) - bonus);
}

const indexOf = (interval: Semitones): number =>
  Math.max(0, Math.min(COUNT - 1, Math.round((interval + WIDEST) * PARTS)));

/** Smoothed shares of intervals; never zero. */
function likelihoods(intervals: readonly Semitones[]): Float64Array {
  const reach = SPREAD * PARTS;
  const out = new Float64Array(COUNT).fill(ANYTHING / COUNT);
  for (const v of intervals) {
    const centre = indexOf(v);
    for (let d = -reach; d <= reach; d++) {
      const k = centre + d;
      if (k >= 0 && k < COUNT)
        out[k] += ((1 - ANYTHING) * (reach + 1 - Math.abs(d))) / ((reach + 1) ** 2 * intervals.length);
    }
  }
  return out;
}
