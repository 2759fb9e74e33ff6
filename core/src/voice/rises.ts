import type { Decibels, Seconds, Span } from '../units';

/**
 * Where a voice that was nearly closed opens at once: after the murmur of a b, d or g, an l, an n. A pulse that is half a period early or
 * late there is heard as a level that is wrong by several decibels, so these are places at which moved pulses stand where they were sung;
 * the phase that was missed goes into the murmur before, where nobody hears it.
 */

/** An opening: the first loud epoch, and the first of the quiet ones before it. */
export interface Rise {
  epoch: number;
  quietFrom: number;
  /** How far the quiet ones lie under what follows, in the mean. */
  depth: Decibels;
}

/** What rises by so much from one epoch to the louder of the next two opens at once. */
const LEAST_RISE: Decibels = 5;
/** Epochs so far under what follows are quiet, for at most so long. */
const QUIET: Decibels = 5;
const LONGEST: Seconds = 0.12;
const FEWEST_QUIET = 2;
/** Openings this near to each other are one, epochs. */
const APART = 4;

/** Level of the period about each epoch, dB. @param x a stretch of sound @param zero its first sample @param epochs samples @param periods samples */
export const levelsAt = (
  x: Float32Array,
  zero: number,
  epochs: Float64Array,
  periods: ArrayLike<number>,
): Float64Array => epochs.map((e, k) => powerAbout(x, e - zero, periods[k]));

/** @param epochs samples, rising @param level of the period about each, dB */
export function findRises(epochs: ArrayLike<number>, level: ArrayLike<number>, sampleRate: number): Rise[] {
  const m = epochs.length;
  const out: Rise[] = [];
  for (let k = FEWEST_QUIET; k + 1 < m; k++) {
    const top = Math.max(level[k], level[k + 1]);
    if (top - level[k - 1] < LEAST_RISE) continue;
    // the steepest of a rise over several epochs
    const step = (i: number) => level[Math.min(m - 1, i)] - level[i - 1];
    if (step(k + 1) > step(k)) continue;
    let quietFrom = k;
    let sum = 0;
    while (
      quietFrom > 0 &&
      level[quietFrom - 1] < top - QUIET &&
      epochs[k] - epochs[quietFrom - 1] < LONGEST * sampleRate
    )
      sum += level[--quietFrom];
    const count = k - quietFrom;
    if (count < FEWEST_QUIET || k - (out.at(-1)?.epoch ?? -APART) < APART) continue;
    out.push({ epoch: k, quietFrom, depth: top - sum / count });
  }
  return out;
}

/** Where the quiet side of a step of level lies: from so many periods beside the loud epoch to so many. */
const BESIDE = [0.3, 1.6];
const LEAST_STEP: Decibels = 7;

/**
 * The quiet sides of all steps of level, up or down, of one period to the next: what is louder there than it was sung is a loud pulse that
 * comes early or late. Samples.
 */
export function findBrinks(epochs: ArrayLike<number>, level: ArrayLike<number>, periods: ArrayLike<number>): Span[] {
  const out: Span[] = [];
  for (let k = 0; k + 1 < epochs.length; k++) {
    const step = level[k + 1] - level[k];
    if (Math.abs(step) < LEAST_STEP) continue;
    const loud = step > 0 ? k + 1 : k;
    const [near, far] = BESIDE.map(b => epochs[loud] + (step > 0 ? -b : b) * periods[loud]);
    out.push({ start: Math.min(near, far), end: Math.max(near, far) });
  }
  return joined(out);
}

/** Spans in order, those that meet made one. */
function joined(spans: Span[]): Span[] {
  const out: Span[] = [];
  for (const s of spans.sort((a, b) => a.start - b.start)) {
    const last = out.at(-1);
    if (last && s.start <= last.end) last.end = Math.max(last.end, s.end);
    else out.push({ ...s });
  }
  return out;
}

/** Mean power of the period about a place, dB. */
function powerAbout(x: Float32Array, at: number, period: number): Decibels {
  const from = Math.max(0, Math.round(at - period / 2));
  const to = Math.min(x.length, Math.round(at + period / 2) + 1);
  let sum = 0;
  for (let i = from; i < to; i++) sum += x[i] * x[i];
  return 10 * Math.log10(sum / Math.max(1, to - from) + 1e-12);
}
