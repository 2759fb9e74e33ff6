import { BandedSystem } from '../signal/banded';
import { predict } from '../signal/prediction';
import type { Decibels, Hertz, Seconds, Span } from '../units';

/** Mouth clicks: found by how far they stand out of what is about them, and taken out by what the sound about them foretells. */

export interface Click extends Span {
  /** Over what is about it. */
  overDb: Decibels;
}

/** Steps in which loudness is looked at, and how far about one, s. */
const STEP: Seconds = 0.00025;
const ABOUT: Seconds = 0.014;
const NEAR: Seconds = 0.0025;
/** So far over what is about it, and no longer, it is a click. */
const OVER_DB = 17;
const LONGEST: Seconds = 0.004;
/** In a voice it must stand out of the pulses a period away as well, dB. */
const OVER_PULSES_DB = 9;
/** Under this nothing is heard, full scale. */
const LEAST = 10 ** (-78 / 20);
/** A plosive's burst is none: so near its ends nothing is looked for, s. */
const BESIDE_NOISE: Seconds = 0.012;

/**
 * @param f0 Hz a frame of hop; 0 where nothing is sung @param noises where unpitched sounds lie
 * @returns in order, s
 */
export function findClicks(
  x: Float32Array,
  rate: Hertz,
  f0: ArrayLike<number>,
  hop: Seconds,
  noises: readonly (Span & { kind: string })[],
): Click[] {
  const step = Math.round(STEP * rate);
  const n = Math.floor(x.length / step);
  // the highest second difference of each step: what is sudden
  const sudden = new Float32Array(n);
  for (let i = 2; i < n * step; i++) {
    const d = Math.abs(x[i] - 2 * x[i - 1] + x[i - 2]);
    const k = Math.floor(i / step);
    if (d > sudden[k]) sudden[k] = d;
  }
  const sums = new Float64Array(n + 1);
  for (let k = 0; k < n; k++) sums[k + 1] = sums[k] + sudden[k];
  const [about, near] = [Math.round(ABOUT / STEP), Math.round(NEAR / STEP)];
  const over = 10 ** (OVER_DB / 20);
  const inNoise = (t: Seconds) =>
    noises.some(q => q.kind !== 'breath' && t > q.start - BESIDE_NOISE && t < q.end + BESIDE_NOISE);
  const out: Click[] = [];
  for (let k = 1; k < n - 1; k++) {
    if (sudden[k] < LEAST || sudden[k] < sudden[k - 1] || sudden[k] < sudden[k + 1]) continue;
    const [a, z] = [Math.max(0, k - about), Math.min(n, k + about + 1)];
    const [b, y] = [Math.max(0, k - near), Math.min(n, k + near + 1)];
    const mean = (sums[z] - sums[a] - (sums[y] - sums[b])) / Math.max(1, z - a - (y - b)) + 1e-7;
    if (sudden[k] < over * mean) continue;
    const t = k * STEP;
    if (inNoise(t) || inVoice(sudden, k, f0[Math.round(t / hop)] ?? 0)) continue;
    // as long as it stands out
    const floor = Math.max(2.5 * mean, sudden[k] * 0.06);
    let [from, to] = [k, k + 1];
    while (from > 0 && sudden[from - 1] > floor) from--;
    while (to < n && sudden[to] > floor) to++;
    if ((to - from) * STEP > LONGEST) continue;
    const click = { start: (from - 1) * STEP, end: (to + 1) * STEP, overDb: 20 * Math.log10(sudden[k] / mean) };
    const last = out[out.length - 1] as Click | undefined;
    if (last && click.start < last.end + 0.001) last.end = Math.max(last.end, click.end);
    else out.push(click);
    k = to;
  }
  return out.filter(c => c.end - c.start <= LONGEST + 2 * STEP);
}

/** Whether what is sudden is one of a voice's own pulses. */
function inVoice(sudden: Float32Array, k: number, hz: Hertz): boolean {
  if (!(hz > 0)) return false;
  const period = 1 / hz / STEP;
  const about = Math.max(2, Math.round(period * 0.3));
  let most = 0;
  for (const way of [-2, -1, 1, 2])
    for (let j = Math.round(k + way * period) - about; j <= Math.round(k + way * period) + about; j++)
      if (Math.abs(j - k) > 3) most = Math.max(most, sudden[j] ?? 0);
  return sudden[k] < most * 10 ** (OVER_PULSES_DB / 20);
}

const ORDER = 36;
const FLOOR = 1 + 1e-6;
/** Sound on either side from which a stretch is foretold, s. */
const CONTEXT: Seconds = 0.016;

/**
 * Replaces a stretch by what the sound on both sides foretells (Janssen, Veldhuis and Vries 1986).
 * @param x changed in place @param keep of what was there so much stays, 0..1
 */
export function interpolate(x: Float32Array, rate: Hertz, { start, end }: Span, keep = 0): void {
  const [from, to] = [Math.max(ORDER, Math.floor(start * rate)), Math.min(x.length - ORDER, Math.ceil(end * rate))];
  const gap = to - from;
  if (gap < 1) return;
  const side = Math.round(CONTEXT * rate);
  const [a, z] = [Math.max(0, from - side), Math.min(x.length, to + side)];
  const y = Float64Array.from(x.subarray(a, z));
  const [g0, g1] = [from - a, to - a];
  // a first guess: straight across
  for (let i = g0; i < g1; i++) y[i] = y[g0 - 1] + ((y[g1] - y[g0 - 1]) * (i - g0 + 1)) / (gap + 1);
  const predictor = new Float64Array(ORDER + 1);
  for (let round = 0; round < 2; round++) {
    predict(y, ORDER, predictor, FLOOR);
    solveGap(y, g0, g1, predictor);
  }
  for (let i = 0; i < gap; i++) {
    const foretold = y[g0 + i];
    if (Number.isFinite(foretold)) x[from + i] = foretold + keep * (x[from + i] - foretold);
  }
}

/** The samples of a gap that leave the least to predict. */
function solveGap(y: Float64Array, g0: number, g1: number, a: Float64Array): void {
  const n = g1 - g0;
  const p = a.length - 1;
  const b = new Float64Array(p + 1);
  for (let lag = 0; lag <= p; lag++) for (let i = 0; i + lag <= p; i++) b[lag] += a[i] * a[i + lag];
  const right = new Float64Array(n);
  for (let i = 0; i < n; i++)
    for (let lag = -p; lag <= p; lag++) {
      const j = g0 + i + lag;
      if (j >= 0 && j < y.length && (j < g0 || j >= g1)) right[i] -= b[Math.abs(lag)] * y[j];
    }
  const system = new BandedSystem(n, Math.min(p, n - 1));
  for (let i = 0; i < n; i++)
    for (let j = Math.max(0, i - p); j <= i; j++) system.add(i, j, b[i - j] + (i === j ? 1e-9 * b[0] : 0));
  system.factor();
  y.set(system.solve(right), g0);
}
