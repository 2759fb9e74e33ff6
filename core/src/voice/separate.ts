import { throughBiquads } from '../signal/filter';
import { combAlong, halfBandFilter } from '../signal/kernels';
import { copySamples, lengthOf, type Samples } from '../signal/samples';
import type { PitchedSegment } from './epochs';

/** What differs from period to period counts as noise above this, as a rule; below it only as far as it behaves like noise. */
const SPLIT_HZ = 1500;
const HALF_BAND = 11;
const MARGIN = 1200;
const PAD = 32;

/** The voice of one channel around some pitched segments, in two layers that add up to it: what pulses carry, and what goes past them. */
export interface Layers {
  /** Sample of the source at which both begin. */
  from: number;
  /** Periodic, below a quarter of the rate. */
  pulses: Float32Array;
  /** The rest. */
  breath: Float32Array;
}

/** Pitched segments so near each other that their layers are made in one piece. Samples. */
export interface Group {
  from: number;
  to: number;
  segments: readonly PitchedSegment[];
}

/** Groups of all segments, in order. @param segments in order @param length of the source */
export function groupsOf(segments: readonly PitchedSegment[], length: number): Group[] {
  const out: { from: number; to: number; segments: PitchedSegment[] }[] = [];
  for (const s of segments) {
    const from = Math.max(0, s.start - MARGIN);
    const to = Math.min(length, s.end + MARGIN);
    const last = out[out.length - 1];
    if (last && from <= last.to) {
      last.to = Math.max(last.to, to);
      last.segments.push(s);
    } else out.push({ from, to, segments: [s] });
  }
  return out;
}

const halfBand = (() => {
  const taps = Float64Array.from({ length: HALF_BAND }, (_, i) => {
    const m = 2 * i + 1;
    return (
      (Math.sin((Math.PI * m) / 2) / (Math.PI * m)) * (0.54 + 0.46 * Math.cos((Math.PI * m) / (2 * HALF_BAND + 1)))
    );
  });
  const sum = 2 * taps.reduce((a, b) => a + b, 0);
  return taps.map(t => (t * 0.5) / sum);
})();

/**
 * Splits a channel along the epochs of a group: the residual .5 x(t) - .25 (x one period before + x one after), positions warped along
 * the epochs, kept where it behaves like noise (neighbouring periods of it correlate by -2/3; a changing voice by +1, a gritty
 * alternation by -1), and everything above a quarter of the rate. So breath is neither repeated nor bunched up by moved pulses.
 * Cost: about 1/900 of real time.
 */
export function separate(x: Samples, sampleRate: number, { from, to, segments }: Group): Layers {
  const near = segments.filter(s => s.epochs.length >= 6);
  const noise = new Float32Array(to - from + 2 * PAD);
  for (const s of near) residual(x, sampleRate, s, noise, from - PAD);
  const less = new Float32Array(to - from + 2 * PAD);
  copySamples(x, from - PAD, less.length, less);
  for (let i = 0; i < less.length; i++) less[i] -= noise[i];
  const pulses = new Float32Array(to - from);
  halfBandFilter(less, PAD, 0.5, halfBand, pulses);
  segments.forEach((s, i) => {
    leaveBurst(pulses, s.start - from, s.periods[0], (segments[i - 1]?.end ?? 0) - from);
    leaveBurst(pulses, s.end - from, s.periods[s.periods.length - 1], (segments[i + 1]?.start ?? lengthOf(x)) - from);
  });
  const breath = new Float32Array(to - from);
  copySamples(x, from, breath.length, breath);
  for (let i = 0; i < breath.length; i++) breath[i] -= pulses[i];
  return { from, pulses, breath };
}

/** What begins this much sharper than the voice beside it is a burst of its own (power of the second difference). */
const BURST = 30;
/** The voice is faded out so long before one, samples. */
const BURST_FADE = 24;

/**
 * Takes out of the pulses' layer the burst of a consonant right after a voice, or before it: the voice's last pulses would carry it, to
 * be heard ahead of itself.
 * @param edge where the voice begins or ends @param limit where its neighbour ends or begins, which is left alone
 */
function leaveBurst(pulses: Float32Array, edge: number, period: number | undefined, limit: number): void {
  if (!period) return;
  const out = limit > edge ? 1 : -1;
  const reach = Math.min(Math.round(2 * period), Math.abs(limit - edge));
  /** Mean power of the second difference a number of periods away from the edge, outwards. */
  const sharpness = (away: number): number => {
    const [a, b] = [edge + out * away * period, edge + out * (away + 1) * period].sort((p, q) => p - q);
    let sum = 1e-12;
    for (let i = Math.max(1, Math.round(a)); i < Math.min(pulses.length - 1, b); i++)
      sum += (pulses[i - 1] - 2 * pulses[i] + pulses[i + 1]) ** 2;
    return sum;
  };
  if (sharpness(0) < BURST * Math.max(sharpness(-1), sharpness(-2))) return;
  for (let d = -BURST_FADE; d < reach; d++) {
    const i = edge + out * d;
    if (i >= 0 && i < pulses.length) pulses[i] *= d < 0 ? smooth(-d / BURST_FADE) : 0;
  }
}

/** Writes the noise-like residual of one segment into out, which begins at a sample of the channel. */
function residual(x: Samples, sampleRate: number, s: PitchedSegment, out: Float32Array, from: number): void {
  const e = s.epochs;
  const m = e.length;
  const w = Math.tan((Math.PI * SPLIT_HZ) / sampleRate);
  const q = Math.SQRT2 * w;
  const a0 = 1 / (1 + q + w * w);
  const b1 = 2 * (w * w - 1) * a0;
  const b2 = (1 - q + w * w) * a0;
  const first = Math.ceil(e[1]);
  const last = Math.ceil(e[m - 2]);
  const low = new Float32Array(last - first);
  const length = lengthOf(x);
  for (let k = 1; k + 2 < m; k++) {
    const d = e[k + 1] - e[k];
    // nothing where a period beside it reaches beyond the sound
    const start = Math.max(8, Math.ceil(e[k]));
    const count = Math.min(Math.ceil(e[k + 1]), Math.floor(length - 2 * d - 8) + 1) - start;
    if (count <= 0) continue;
    const [before, after] = [(e[k] - e[k - 1]) / d, (e[k + 2] - e[k + 1]) / d];
    const into = start - e[k];
    const rest = combAlong(x, start, e[k - 1] + into * before, before, e[k + 1] + into * after, after, count);
    low.set(rest.subarray(0, count), start - first);
  }
  const high = throughBiquads(low, [{ b: [a0, -2 * a0, a0], a: [-b1, -b2] }]);
  for (let i = 0; i < low.length; i++) low[i] -= high[i];
  const lowShare = noiseShare(low, e, first, last);
  const highShare = noiseShare(high, e, first, last);
  for (let k = 1; k + 2 < m; k++) {
    const d = e[k + 1] - e[k];
    const start = Math.ceil(e[k]);
    const end = Math.ceil(e[k + 1]);
    const lowRise = (lowShare[k + 1] - lowShare[k]) / d;
    const highRise = (highShare[k + 1] - highShare[k]) / d;
    const fades = k < 3 || k > m - 5;
    for (let t = start; t < end; t++) {
      const u = t - e[k];
      const i = t - first;
      const noise = (highShare[k] + highRise * u) * high[i] + (lowShare[k] + lowRise * u) * low[i];
      out[t - from] += fades ? fadeAt(k + u / d, m) * noise : noise;
    }
  }
}

/** How far a residual is in or out, so many epochs from the first of so many. */
const fadeAt = (k: number, count: number): number =>
  (k < 3 ? smooth((k - 1) / 2) : 1) * (k > count - 4 ? smooth((count - 2 - k) / 2) : 1);

const smooth = (u: number) => u * u * (3 - 2 * u);

/** Share of a residual that is noise, per epoch, as an amplitude gain: from how neighbouring periods of it correlate. */
function noiseShare(r: Float32Array, e: Float64Array, first: number, last: number): Float64Array {
  const m = e.length;
  const lowest = 0.5;
  const cross = new Float64Array(m);
  const power = new Float64Array(m);
  for (let k = 1; k + 3 < m; k++) {
    const d = Math.round(e[k + 1] - e[k]);
    const end = Math.min(Math.ceil(e[k + 1]), last - d);
    let p = 0;
    let u2 = 1e-12;
    let v2 = 1e-12;
    for (let t = Math.ceil(e[k]) - first; t < end - first; t += 4) {
      const u = r[t];
      const v = r[t + d];
      p += u * v;
      u2 += u * u;
      v2 += v * v;
    }
    cross[k] = p;
    power[k] = Math.sqrt(u2 * v2);
  }
  const share = new Float64Array(m);
  const width = 3;
  for (let k = 1; k + 2 < m; k++) {
    let p = 0;
    let q = 1e-12;
    for (let z = Math.max(1, k - width); z <= Math.min(m - 4, k + width - 1); z++) {
      p += cross[z];
      q += power[z];
    }
    const rho = p / q;
    share[k] = Math.sqrt(Math.max(0, Math.min(1, 1 - (rho + lowest) / (1 + lowest), (1 + rho) / 0.15)));
  }
  share[m - 2] = share[m - 3];
  share[0] = share[1];
  return share;
}
