import type { Decibels, Hertz } from '../units';
import { lufs, weightedSquares } from './loudness';

/** What a file is delivered by: its loudness over all of it and at its loudest (ITU-R BS.1770-4, EBU Tech 3341), and its true peak. */
export interface Programme {
  /** Gated over the whole, LUFS; -Infinity for silence. */
  integratedLufs: number;
  /** The loudest three seconds, LUFS; of a shorter sound all of it. */
  shortTermLufs: number;
  /** Highest peak between samples as well, dB full scale. */
  truePeakDb: Decibels;
}

const BLOCK = 0.1;
/** A gating block is four of those, a short-term window thirty. */
const GATING = 4;
const SHORT_TERM = 30;
const ABSOLUTE: Decibels = -70;
const RELATIVE: Decibels = -10;

/** @param channels one (counted once) or two, equally long */
export function programmeOf(channels: readonly Float32Array[], rate: Hertz): Programme {
  const step = Math.round(BLOCK * rate);
  const length = channels[0].length;
  // what is left at the end is a block of its own length
  const blocks = weightedSquares(channels, rate, step, Math.ceil(length / step)).map(
    (sum, k) => sum / Math.min(step, length - k * step),
  );
  const means = (length: number): number[] => {
    if (blocks.length <= length) return blocks.length ? [blocks.reduce((a, b) => a + b, 0) / blocks.length] : [];
    const out: number[] = [];
    let sum = 0;
    blocks.forEach((p, i) => {
      sum += p - (i >= length ? blocks[i - length] : 0);
      if (i >= length - 1) out.push(Math.max(0, sum) / length);
    });
    return out;
  };
  const gated = (list: readonly number[], over: number) => list.filter(p => lufs(p) > over);
  const mean = (list: readonly number[]) => (list.length ? list.reduce((a, b) => a + b, 0) / list.length : 0);
  const heard = gated(means(GATING), ABSOLUTE);
  return {
    integratedLufs: lufs(mean(gated(heard, lufs(mean(heard)) + RELATIVE))),
    shortTermLufs: means(SHORT_TERM).reduce((m, p) => Math.max(m, lufs(p)), -Infinity),
    truePeakDb: 20 * Math.log10(truePeak(channels, rate)),
  };
}

/** Taps of each phase of the interpolation. */
const TAPS = 16;
const BETA = 6;

/** Modified Bessel function of the first kind, order 0. */
function bessel(x: number): number {
  let [sum, term] = [1, 1];
  for (let k = 1; k < 30; k++) sum += term *= (x / (2 * k)) ** 2;
  return sum;
}

/** Windowed sinc between samples, a phase a row: all but the samples themselves. */
function phasesFor(times: number): Float64Array[] {
  return Array.from({ length: times - 1 }, (_, p) => {
    const taps = Float64Array.from({ length: TAPS }, (_, k) => {
      const x = k - TAPS / 2 + 1 - (p + 1) / times;
      const w = bessel(BETA * Math.sqrt(Math.max(0, 1 - (x / (TAPS / 2)) ** 2))) / bessel(BETA);
      return (x ? Math.sin(Math.PI * x) / (Math.PI * x) : 1) * w;
    });
    const sum = taps.reduce((a, b) => a + b, 0);
    return taps.map(v => v / sum);
  });
}

/** Where peaks between the samples of one channel lie, as it comes in pieces; four times oversampled, twice from 96 kHz on. */
export class TruePeak {
  private readonly phases: Float64Array[];
  /** No value between samples is more times as high as the highest about it. */
  private readonly most: number;
  /** The last samples of the piece before, and a chunk. */
  private readonly window = new Float64Array(TAPS + CHUNK);
  /** The highest so far. */
  peak = 0;

  constructor(rate: Hertz) {
    this.phases = phasesFor(rate >= 96000 ? 2 : 4);
    this.most = Math.max(...this.phases.map(taps => taps.reduce((sum, v) => sum + Math.abs(v), 0)));
  }

  /** @returns the highest of this piece */
  take(x: ArrayLike<number>, count = x.length): number {
    const { window, phases } = this;
    let most = 0;
    for (let from = 0; from < count; from += CHUNK) {
      const n = Math.min(CHUNK, count - from);
      let near = 0;
      for (let k = 0; k < TAPS; k++) near = Math.max(near, Math.abs(window[k]));
      for (let i = 0; i < n; i++) {
        const v = x[from + i];
        window[TAPS + i] = v;
        const plain = v < 0 ? -v : v;
        if (plain > near) near = plain;
        if (plain > most) most = plain;
      }
      // what lies between quiet samples cannot be the highest
      if (near * this.most > Math.max(most, this.peak))
        for (const taps of phases)
          for (let i = 1; i <= n; i++) {
            let v = 0;
            for (let k = 0; k < TAPS; k++) v += taps[k] * window[i + k];
            if (v < 0) v = -v;
            if (v > most) most = v;
          }
      window.copyWithin(0, n, n + TAPS);
    }
    if (most > this.peak) this.peak = most;
    return most;
  }
}
/** Samples looked at together. */
const CHUNK = 64;

function truePeak(channels: readonly Float32Array[], rate: Hertz): number {
  return channels.reduce((most, x) => {
    const meter = new TruePeak(rate);
    meter.peak = most;
    meter.take(x);
    meter.take(new Float32Array(TAPS));
    return Math.max(most, meter.peak);
  }, 0);
}
