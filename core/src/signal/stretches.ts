import { HALF_BAND_REACH, halveRate } from './filter';

/** One channel of sound that is looked at a stretch at a time, so that not all of it need be held. */
export interface Stretches {
  /** Samples. */
  readonly length: number;
  /** Samples [from, to), zeros beyond the ends; not to be written. */
  stretch(from: number, to: number): Float32Array;
}

/** @param inside tells of what lies within the sound alone */
export const stretchesFrom = (length: number, inside: (from: number, to: number) => Float32Array): Stretches => ({
  length,
  stretch(from, to) {
    const [first, last] = [Math.max(0, from), Math.min(length, to)];
    if (first === from && last === to) return inside(from, to);
    const out = new Float32Array(to - from);
    if (first < last) out.set(inside(first, last), first - from);
    return out;
  },
});

/** A sound that is held anyway. */
export const stretchesOf = (x: Float32Array): Stretches => stretchesFrom(x.length, (from, to) => x.subarray(from, to));

/** A sound at half its rate: the same numbers as of `halveRate`. */
export const halfRate = (x: Stretches): Stretches =>
  stretchesFrom(x.length >> 1, (from, to) =>
    halveRate(x.stretch(2 * (from - HALF_BAND_REACH), 2 * (to + HALF_BAND_REACH))).subarray(
      HALF_BAND_REACH,
      HALF_BAND_REACH + to - from,
    ),
  );
