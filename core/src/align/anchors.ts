import type { Seconds } from '../units';
import { FINE, FINE_BANDS, type AlignFeatures } from './features';

/** A moment of the follower whose place in the lead is known to the millisecond. */
export interface Anchor {
  /** Follower frame. */
  frame: number;
  lead: Seconds;
  /** How surely, 0..1. */
  certainty: number;
}

const WINDOW = Math.round(0.05 / FINE);
const LAG = Math.round(0.03 / FINE);
const LEAST_MATCH = 0.65;
/** Less than this happens: there is nothing to go by. */
const LEAST_VARIANCE = 0.15;
const TAPER = Float64Array.from(
  { length: 2 * WINDOW + 1 },
  (_, k) => 0.5 + 0.5 * Math.cos((Math.PI * (k - WINDOW)) / (WINDOW + 1)),
);
const TAPER_SUM = TAPER.reduce((s, v) => s + v, 0);
/** A longer way costs a little, so that of two as good the nearer is taken. */
const LONGER = 1e-4;

/**
 * Where exactly a moment of the follower is found in the lead, about where it is thought to be: the envelopes of five bands are
 * correlated over +-50 ms, at lags up to 30 ms, the best one refined by a parabola.
 * @returns null where too little happens, where the best lag is at the edge, or where the two are not alike
 */
export function anchorAt(
  follower: AlignFeatures,
  lead: AlignFeatures,
  seconds: Seconds,
  expected: Seconds,
): { lead: Seconds; match: number } | null {
  const a = Math.round(seconds / FINE);
  const b = Math.round(expected / FINE);
  const [x, y] = [follower.fine, lead.fine];
  const frames = (v: Float32Array) => v.length / FINE_BANDS;
  if (a < WINDOW || a + WINDOW >= frames(x) || b < WINDOW + LAG || b + WINDOW + LAG >= frames(y)) return null;
  const own = new Float64Array(TAPER.length * FINE_BANDS);
  let ownVariance = 0;
  for (let q = 0; q < FINE_BANDS; q++) {
    const mean = taperedMean(x, a, q);
    for (let k = -WINDOW; k <= WINDOW; k++) {
      const v = x[(a + k) * FINE_BANDS + q] - mean;
      own[(k + WINDOW) * FINE_BANDS + q] = TAPER[k + WINDOW] * v;
      ownVariance += TAPER[k + WINDOW] * v * v;
    }
  }
  if (ownVariance / TAPER_SUM / FINE_BANDS < LEAST_VARIANCE) return null;
  const matches = new Float64Array(2 * LAG + 1);
  for (let d = -LAG; d <= LAG; d++) {
    let product = 0;
    let variance = 0;
    for (let q = 0; q < FINE_BANDS; q++) {
      const mean = taperedMean(y, b + d, q);
      for (let k = -WINDOW; k <= WINDOW; k++) {
        const v = y[(b + d + k) * FINE_BANDS + q] - mean;
        variance += TAPER[k + WINDOW] * v * v;
        product += own[(k + WINDOW) * FINE_BANDS + q] * v;
      }
    }
    // where much less happens than in the follower, likeness is chance
    const enough = Math.min(1, Math.sqrt(variance / (ownVariance + 1e-9)) * 1.5);
    matches[d + LAG] = (product / Math.sqrt(ownVariance * variance + 1e-9)) * enough;
  }
  let best = LAG;
  for (let k = 0; k < matches.length; k++)
    if (matches[k] - LONGER * Math.abs(k - LAG) > matches[best] - LONGER * Math.abs(best - LAG)) best = k;
  if (best === 0 || best === matches.length - 1 || matches[best] < LEAST_MATCH) return null;
  const [l, m, r] = [matches[best - 1], matches[best], matches[best + 1]];
  const part = (0.5 * (l - r)) / (l - 2 * m + r - 1e-12);
  return { lead: (b + best - LAG + part) * FINE + seconds - a * FINE, match: m };
}

function taperedMean(x: Float32Array, centre: number, band: number): number {
  let s = 0;
  for (let k = -WINDOW; k <= WINDOW; k++) s += TAPER[k + WINDOW] * x[(centre + k) * FINE_BANDS + band];
  return s / TAPER_SUM;
}

/** How surely an anchor holds, by how alike the two are there. */
export const certaintyOf = (match: number): number => (match - LEAST_MATCH + 0.1) / (1.1 - LEAST_MATCH);
