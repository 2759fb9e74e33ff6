import { powerFrames } from '../signal/frames';
import type { Decibels, Hertz } from '../units';
import { kWeight } from './loudness';

/** The colour of a voice: its spectral envelope in bands, whatever pitch it is sung at. */

/** Frames of a reading between two of these. */
export const COLOUR_EVERY = 4;
const SIZE_SECONDS = 0.04;
/** A harmonic is looked for so near its place, share of the fundamental. */
const NEAR = 0.3;
const LEAST = 1e-14;

/** Numbers for each fourth frame of a take, frame by frame. */
export interface ColourFrames {
  /**
   * Envelope told by the harmonics: their mean where a band holds several, and between them where it holds none; dB beside the mean of
   * all bands, NaN where nothing is sung. A number a band.
   */
  envelope: Float32Array;
  /** K-weighted power at each band's centre and half way to the next, `heldBands` of them; 0 where nothing is sung. */
  power: Float32Array;
}

/** In how many stretches power is told between so many bands. */
export const heldBands = (bands: number): number => 2 * bands - 1;

/**
 * What colour the voiced frames of a take have.
 * @param x one channel @param f0 Hz a frame @param bands their centres, rising by one ratio, about a third of an octave apart
 */
export function colourFrames(
  x: Float32Array,
  rate: Hertz,
  f0: ArrayLike<number>,
  hop: number,
  bands: ArrayLike<Hertz>,
): ColourFrames {
  const count = Math.ceil(f0.length / COLOUR_EVERY);
  const n = bands.length;
  const held = heldBands(n);
  const out = { envelope: new Float32Array(count * n).fill(NaN), power: new Float32Array(count * held) };
  let size = 512;
  while (size < SIZE_SECONDS * rate) size *= 2;
  const bin = rate / size;
  const step = Math.log(bands[n - 1] / bands[0]) / (held - 1);
  const bins = Array.from({ length: size / 2 }, (_, i) => ({
    held: i && Math.min(held - 1, Math.max(0, Math.round(Math.log((i * bin) / bands[0]) / step))),
    weight: i && 10 ** (kWeight(i * bin) / 10),
  }));
  powerFrames(x, size, COLOUR_EVERY * hop * rate, count, (k, power) => {
    const hz = f0[k * COLOUR_EVERY];
    if (!(hz > 0)) return;
    envelope(power, hz, bin, bands, out.envelope.subarray(k * n, (k + 1) * n));
    bins.forEach((b, i) => (out.power[k * held + b.held] += b.weight * power[i]));
  });
  return out;
}

/** By how much the loudness of frames changes with gains in their bands, dB; 0 where they are silent. */
export function louderBy(power: ArrayLike<number>, frames: Iterable<number>, gainsDb: readonly Decibels[]): Decibels {
  const held = heldBands(gainsDb.length);
  const gains = Array.from({ length: held }, (_, i) => {
    const [a, b] = [gainsDb[i >> 1], gainsDb[(i + 1) >> 1]];
    return 10 ** ((a + b) / 20);
  });
  let [before, after] = [0, 0];
  for (const k of frames) {
    if (k % COLOUR_EVERY) continue;
    const from = (k / COLOUR_EVERY) * held;
    for (let i = 0; i < held && from + i < power.length; i++) {
      before += power[from + i];
      after += power[from + i] * gains[i];
    }
  }
  return before > 0 ? 10 * Math.log10(after / before) : 0;
}

function envelope(power: Float32Array, f0: Hertz, bin: Hertz, bands: ArrayLike<Hertz>, out: Float32Array): void {
  const top = Math.min((power.length - 2) * bin, bands[bands.length - 1] * 1.3);
  const harmonics: number[] = [];
  for (let h = 1; h * f0 <= top; h++) {
    const [a, z] = [Math.floor(((h - NEAR) * f0) / bin), Math.ceil(((h + NEAR) * f0) / bin)];
    let best = LEAST;
    for (let i = Math.max(1, a); i <= z && i < power.length; i++) best = Math.max(best, power[i]);
    harmonics.push(best);
  }
  let sum = 0;
  for (let b = 0; b < bands.length; b++) {
    const half = 2 ** (1 / 6);
    const [low, high] = [Math.ceil(bands[b] / half / f0), Math.floor((bands[b] * half) / f0)];
    let db: Decibels;
    if (high - low >= 1 && low >= 1) {
      let s = 0;
      let c = 0;
      for (let h = low; h <= high && h <= harmonics.length; h++, c++) s += harmonics[h - 1];
      db = 10 * Math.log10(c ? s / c : LEAST);
    } else {
      const at = Math.min(harmonics.length, Math.max(1, bands[b] / f0));
      const i = Math.min(harmonics.length - 1, Math.floor(at));
      const part = at - i;
      const [p, q] = [harmonics[Math.max(0, i - 1)], harmonics[Math.min(harmonics.length - 1, i)]];
      db = 10 * ((1 - part) * Math.log10(p) + part * Math.log10(q));
    }
    out[b] = db;
    sum += db;
  }
  for (let b = 0; b < bands.length; b++) out[b] -= sum / bands.length;
}

/** Mean colour of some frames. @returns null where none of them is sung */
export function meanColour(colour: Float32Array, bands: number, from: number, to: number): Float32Array | null {
  const out = new Float32Array(bands);
  let count = 0;
  for (let k = Math.ceil(from / COLOUR_EVERY); k < to / COLOUR_EVERY && (k + 1) * bands <= colour.length; k++) {
    if (Number.isNaN(colour[k * bands])) continue;
    for (let b = 0; b < bands; b++) out[b] += colour[k * bands + b];
    count++;
  }
  return count ? out.map(v => v / count) : null;
}
