import type { Cents, Seconds } from '../units';
import { eachSpectrum, loweredTo } from './spectrum';

const FRAME = 4096;
/** Bins of the fine chroma: a third of a semitone each. */
const LOWEST_HZ = 55;
const BASS_TOP_HZ = 190;
const HIGHEST_HZ = 2200;
const BASS_LOWEST_HZ = 38;

/** What pitch classes sound when: rows of 12, one a frame. */
export interface Chroma {
  /** Row k at 12 k. Each row is scaled to a sum of 1 (or is all zero in silence). */
  all: Float64Array;
  bass: Float64Array;
  frames: number;
  /** Frames a second. */
  rate: number;
  /** How far the recording's tuning lies from A = 440 Hz, and how sure that is, 0..1. */
  tuningCents: Cents;
  tuningSure: number;
}

/**
 * Pitch-class energy from spectral peaks: each peak counts once, at its interpolated frequency, by the square root of its height, so
 * that soft notes count and noise does not. Tuning is the circular mean of the peaks' distances from the semitones.
 */
export function chromaOf(samples: Float32Array, sampleRate: number): Chroma {
  const { x, rate } = loweredTo(samples, sampleRate, 11000);
  const hop = Math.round(rate / 20);
  const frames = Math.ceil(x.length / hop);
  const peaks: { frame: number; midi: number; weight: number; bass: boolean }[] = [];
  let cos = 0;
  let sin = 0;
  let sum = 0;
  const bin = rate / FRAME;
  eachSpectrum(x, FRAME, hop, (frame, m) => {
    let loudest = 1e-6;
    for (let b = 2; b < HIGHEST_HZ / bin; b++) loudest = Math.max(loudest, m[b]);
    for (let b = Math.floor(BASS_LOWEST_HZ / bin); b < HIGHEST_HZ / bin; b++) {
      if (!(m[b] > m[b - 1] && m[b] >= m[b + 1] && m[b] > 0.02 * loudest && m[b] > 1e-3)) continue;
      const [l, c, r] = [Math.log(m[b - 1]), Math.log(m[b]), Math.log(m[b + 1])];
      const hz = (b + (0.5 * (l - r)) / (l - 2 * c + r)) * bin;
      const midi = 69 + 12 * Math.log2(hz / 440);
      // partials fade upwards: a high peak is more likely an overtone
      const weight = Math.sqrt(m[b]) * Math.exp(-Math.max(0, midi - 64) / 20);
      if (hz > LOWEST_HZ) peaks.push({ frame, midi, weight, bass: hz < BASS_TOP_HZ });
      if (hz > 120 && hz < 1200) {
        const angle = 2 * Math.PI * midi;
        cos += weight * Math.cos(angle);
        sin += weight * Math.sin(angle);
        sum += weight;
      }
    }
  });
  const tuningCents = sum ? (100 * Math.atan2(sin, cos)) / (2 * Math.PI) : 0;
  const all = new Float64Array(12 * frames);
  const bass = new Float64Array(12 * frames);
  for (const p of peaks) {
    const at = p.midi - tuningCents / 100;
    const near = Math.round(at);
    const fit = Math.exp(-0.5 * (((at - near) * 100) / 22) ** 2);
    const row = 12 * p.frame + (((near % 12) + 12) % 12);
    all[row] += p.weight * fit;
    if (p.bass) bass[row] += p.weight * fit;
  }
  for (const rows of [all, bass])
    for (let k = 0; k < frames; k++) {
      let total = 0;
      for (let i = 0; i < 12; i++) total += rows[12 * k + i];
      if (total > 0) for (let i = 0; i < 12; i++) rows[12 * k + i] /= total;
    }
  return { all, bass, frames, rate: rate / hop, tuningCents, tuningSure: sum ? Math.hypot(cos, sin) / sum : 0 };
}

/** Mean rows over spans between times, 12 numbers each. */
export function chromaBetween(
  rows: Float64Array,
  frames: number,
  rate: number,
  times: readonly Seconds[],
): Float64Array[] {
  return times.slice(0, -1).map((t, i) => {
    const out = new Float64Array(12);
    const a = Math.max(0, Math.min(frames - 1, Math.round((t + 0.03) * rate)));
    const b = Math.max(a + 1, Math.min(frames, Math.round(times[i + 1] * rate)));
    for (let k = a; k < b; k++) for (let c = 0; c < 12; c++) out[c] += rows[12 * k + c] / (b - a);
    return out;
  });
}
