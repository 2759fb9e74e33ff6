import type { Decibels, Hertz } from '../units';

/** Loudness as broadcasting measures it (ITU-R BS.1770-4), and peaks, a number a frame. */

interface Biquad {
  b: [number, number, number];
  a: [number, number];
}

/** The two filters of K weighting at any rate, from their analogue values. */
function weighting(rate: Hertz): Biquad[] {
  const shelf = () => {
    const [f, gain, q] = [1681.974450955533, 3.999843853973347, 0.7071752369554196];
    const k = Math.tan((Math.PI * f) / rate);
    const high = 10 ** (gain / 20);
    const band = high ** 0.4996667741545416;
    const a0 = 1 + k / q + k * k;
    return {
      b: [(high + (band * k) / q + k * k) / a0, (2 * (k * k - high)) / a0, (high - (band * k) / q + k * k) / a0],
      a: [(2 * (k * k - 1)) / a0, (1 - k / q + k * k) / a0],
    } as Biquad;
  };
  const pass = () => {
    const [f, q] = [38.13547087602444, 0.5003270373238773];
    const k = Math.tan((Math.PI * f) / rate);
    const a0 = 1 + k / q + k * k;
    return { b: [1, -2, 1], a: [(2 * (k * k - 1)) / a0, (1 - k / q + k * k) / a0] } as Biquad;
  };
  return [shelf(), pass()];
}

const REFERENCE_RATE: Hertz = 48000;
const reference = weighting(REFERENCE_RATE);

/** What K weighting adds at a frequency, dB. */
export function kWeight(hz: Hertz): Decibels {
  const w = (2 * Math.PI * hz) / REFERENCE_RATE;
  const power = ([c0, c1, c2]: readonly number[]) =>
    (c0 + c1 * Math.cos(w) + c2 * Math.cos(2 * w)) ** 2 + (c1 * Math.sin(w) + c2 * Math.sin(2 * w)) ** 2;
  return reference.reduce((db, { b, a }) => db + 10 * Math.log10(power(b) / power([1, ...a])), 0);
}

/** Added to a mean square to make it loudness, dB. */
const OFFSET: Decibels = -0.691;
const LEAST = 1e-12;

/** K-weighted power as loudness; silence is -Infinity. */
export const lufs = (power: number): number => (power > 0 ? OFFSET + 10 * Math.log10(power) : -Infinity);

/**
 * Sums of the squares of K-weighted blocks, all channels together.
 * @param step samples a block, may be a fraction @param blocks how many; what lies beyond is left out
 */
export function weightedSquares(
  channels: readonly Float32Array[],
  rate: Hertz,
  step: number,
  blocks: number,
): Float64Array {
  const out = new Float64Array(blocks);
  const [shelf, pass] = weighting(rate);
  const [[b0, b1, b2], [a1, a2], [c1, c2]] = [shelf.b, shelf.a, pass.a];
  for (const x of channels) {
    let [p, q, r, s] = [0, 0, 0, 0];
    let i = 0;
    for (let k = 0; k < blocks; k++) {
      const end = Math.min(x.length, Math.ceil((k + 1) * step));
      let sum = 0;
      for (; i < end; i++) {
        const u = x[i];
        const v = b0 * u + p;
        p = b1 * u - a1 * v + q;
        q = b2 * u - a2 * v;
        // the second filter's numerator is 1, -2, 1
        const y = v + r;
        r = -2 * v - c1 * y + s;
        s = v - c2 * y;
        sum += y * y;
      }
      out[k] += sum;
    }
  }
  return out;
}

/**
 * K-weighted loudness of frames of 10 ms, all channels together.
 * @param hop of the frames, s; frame k is centred at k * hop @returns LUFS a frame
 */
export function frameLoudness(
  channels: readonly Float32Array[],
  rate: Hertz,
  hop: number,
  frames: number,
): Float32Array {
  const step = hop * rate;
  const halves = weightedSquares(channels, rate, step / 2, 2 * frames);
  return Float32Array.from({ length: frames }, (_, k) => {
    // two half frames on either side of its centre
    let sum = 0;
    for (let h = Math.max(0, 2 * k - 2); h < 2 * k + 2; h++) sum += halves[h];
    return OFFSET + 10 * Math.log10(sum / (2 * step) + LEAST);
  });
}

/** Mean loudness of some frames, by their power. */
export function meanLoudness(loudnessDb: ArrayLike<number>, frames: Iterable<number>): Decibels | null {
  let [sum, count] = [0, 0];
  for (const k of frames) {
    const db = loudnessDb[k];
    if (!Number.isFinite(db)) continue;
    sum += 10 ** (db / 10);
    count++;
  }
  return count ? 10 * Math.log10(sum / count + LEAST) : null;
}

/** Mean level of frames [from, to), by their power, with what is turned up or down in them; those beyond the ends do not count. */
export function meanLevel(
  levelDb: ArrayLike<Decibels>,
  from: number,
  to: number,
  gainDb: ArrayLike<Decibels> | null = null,
): Decibels {
  let [sum, count] = [0, 0];
  for (let k = Math.max(0, Math.round(from)); k < Math.min(levelDb.length, Math.round(to)); k++, count++)
    sum += 10 ** ((levelDb[k] + (gainDb?.[k] ?? 0)) / 10);
  return 10 * Math.log10((count ? sum / count : 0) + LEAST);
}

/** What lies between samples may be so much over them, dB. */
const BETWEEN: Decibels = 0.6;

/** Highest peak within a hop of each frame, all channels, dB full scale; what lies between samples allowed for. */
export function framePeaks(channels: readonly Float32Array[], rate: Hertz, hop: number, frames: number): Float32Array {
  const step = hop * rate;
  const blocks = new Float32Array(frames + 2);
  for (const x of channels)
    for (let i = 0; i < x.length; i++) {
      const k = Math.min(frames, Math.floor(i / step));
      const v = Math.abs(x[i]);
      if (v > blocks[k]) blocks[k] = v;
    }
  return Float32Array.from(
    { length: frames },
    (_, k) => BETWEEN + 20 * Math.log10(Math.max(blocks[k], blocks[k - 1] ?? 0) + 1e-9),
  );
}
