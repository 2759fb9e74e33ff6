import { Fourier, hann, hzToCents, median, quantile } from '@essim/core';
import type { Truth } from '@essim/demo';

/** How near a rendering comes to the singer really singing so. */
export interface SoundScore {
  /** Cents between the pitch read in the rendering and the true one. */
  pitchMedian: number;
  pitch95: number;
  /** Mean difference of 40-band mel envelopes over pitched frames, dB, levels equalised. */
  envelopeDb: number;
  /** Mean difference of the harmonics within 40 dB of the strongest, up to 8 kHz, dB, levels equalised. */
  harmonicsDb: number;
  /** 90th percentile of the crest above 5 kHz, over the truth's, dB. */
  roughnessDb: number;
  /** Harmonic-to-noise ratio over the truth's, dB. */
  hnrDb: number;
  /** Against the take as sung: an edit keeps its loudness, where a singer's own would change with pitch. */
  levelDb: number;
}

const SIZE = 2048;
const BANDS = 40;

const LOWEST_HZ = 80;
const HIGHEST_HZ = 10000;
/** What lies so far under a frame's loudest band is not compared, dB. */
const HEARD_DB = 50;

const mel = (hz: number) => 2595 * Math.log10(1 + hz / 700);
const hzOfMel = (m: number) => 700 * (10 ** (m / 2595) - 1);
/** Borders of the triangular bands: band b rises from border b to b + 1 and falls to b + 2. */
const BORDERS = Array.from({ length: BANDS + 2 }, (_, i) =>
  hzOfMel(mel(LOWEST_HZ) + (i * (mel(HIGHEST_HZ) - mel(LOWEST_HZ))) / (BANDS + 1)),
);

/** Mel-band levels in dB of the frame about a sample. */
function envelope(x: Float32Array, sampleRate: number, centre: number): Float64Array {
  const f = Fourier.of(SIZE);
  const window = hann(SIZE);
  f.input.fill(0);
  for (let i = 0; i < SIZE; i++) f.input[2 * i] = (x[centre - SIZE / 2 + i] ?? 0) * window[i];
  f.forward();
  const out = new Float64Array(BANDS).fill(1e-9);
  for (let band = 0; band < BANDS; band++) {
    const [low, middle, high] = BORDERS.slice(band, band + 3).map(hz => (hz * SIZE) / sampleRate);
    // the lowest bands are narrower than a bin is wide
    for (let b = Math.floor(low); b <= Math.ceil(high); b++) {
      const w = Math.max(0.05, b < middle ? (b - low) / (middle - low) : (high - b) / (high - middle));
      out[band] += w * (f.output[2 * b] ** 2 + f.output[2 * b + 1] ** 2);
    }
  }
  return out.map(v => 10 * Math.log10(v));
}

/** Amplitudes of the harmonics of a pitch about a sample, dB. */
function harmonics(x: Float32Array, sampleRate: number, centre: number, f0: number): Float64Array {
  const half = Math.round((2.5 * sampleRate) / f0);
  const count = Math.floor(Math.min(8000, sampleRate / 2) / f0);
  const out = new Float64Array(count);
  for (let h = 1; h <= count; h++) {
    const w = (2 * Math.PI * f0 * h) / sampleRate;
    let re = 0;
    let im = 0;
    const [dc, ds] = [Math.cos(w), Math.sin(w)];
    let c = Math.cos(-w * half);
    let s = Math.sin(-w * half);
    for (let i = -half; i <= half; i++) {
      const v = (x[centre + i] ?? 0) * (0.5 + 0.5 * Math.cos((Math.PI * i) / half));
      re += v * c;
      im += v * s;
      const q = c * dc - s * ds;
      s = c * ds + s * dc;
      c = q;
    }
    out[h - 1] = 20 * Math.log10(Math.hypot(re, im) / half + 1e-9);
  }
  return out;
}

/** Sound above 5 kHz. */
function above(x: Float32Array, sampleRate: number): Float32Array {
  const w = Math.tan((Math.PI * 5000) / sampleRate);
  const a0 = 1 / (1 + Math.SQRT2 * w + w * w);
  const b1 = 2 * (w * w - 1) * a0;
  const b2 = (1 - Math.SQRT2 * w + w * w) * a0;
  const out = new Float32Array(x.length);
  let [x1, x2, y1, y2] = [0, 0, 0, 0];
  for (let i = 0; i < x.length; i++) {
    const y = (x[i] - 2 * x1 + x2) * a0 - b1 * y1 - b2 * y2;
    [x2, x1, y2, y1] = [x1, x[i], y1, y];
    out[i] = y;
  }
  return out;
}

/** Peak over mean of 30 ms, dB. */
function crest(x: Float32Array, centre: number, half: number): number {
  let peak = 1e-9;
  let sum = 1e-18;
  for (let i = -half; i < half; i++) {
    const v = x[centre + i] ?? 0;
    peak = Math.max(peak, Math.abs(v));
    sum += v * v;
  }
  return 20 * Math.log10(peak / Math.sqrt(sum / (2 * half)));
}

/** Harmonic-to-noise ratio from the best match near one period, dB. */
export function hnr(x: Float32Array, centre: number, period: number): number {
  const half = Math.round(1.5 * period);
  let best = 0;
  for (let lag = Math.floor(period * 0.98); lag <= Math.ceil(period * 1.02); lag++) {
    let [r, p, q] = [0, 1e-12, 1e-12];
    for (let i = -half; i < half; i++) {
      const u = x[centre + i - (lag >> 1)] ?? 0;
      const v = x[centre + i - (lag >> 1) + lag] ?? 0;
      r += u * v;
      p += u * u;
      q += v * v;
    }
    best = Math.max(best, r / Math.sqrt(p * q));
  }
  return 10 * Math.log10(Math.max(0.01, best) / Math.max(0.001, 1 - best));
}

const mean = (x: number[]) => x.reduce((a, b) => a + b, 0) / Math.max(1, x.length);

/**
 * Compares a rendering with a truth that sang the same.
 * @param heard the rendering's own pitch line (Hz each 5 ms), read by Essim
 * @param pace length of the rendering over that of the take as sung
 */
export function compareSound(
  y: Float32Array,
  heard: ArrayLike<number>,
  want: Float32Array,
  sung: Float32Array,
  truth: Truth,
  pace = 1,
): SoundScore {
  const rate = truth.sampleRate;
  const errors: number[] = [];
  const distances: number[] = [];
  const partials: number[] = [];
  const crests: [number[], number[]] = [[], []];
  const ratios: number[] = [];
  let energyY = 0;
  let energySung = 0;
  const [highY, highWant] = [above(y, rate), above(want, rate)];
  for (let k = 4; k + 4 < truth.f0.length; k++) {
    const steady = [-4, 0, 4].every(d => truth.f0[k + d] > 0 && heard[k + d] > 0);
    if (!steady) continue;
    errors.push(Math.abs(hzToCents(heard[k]) - hzToCents(truth.f0[k])));
    if (k % 4) continue;
    const centre = Math.round(k * truth.hop * rate);
    const a = envelope(y, rate, centre);
    const b = envelope(want, rate, centre);
    const floor = Math.max(...b) - HEARD_DB;
    const [from, to] = [a, b].map(e => Array.from(e, v => Math.max(v, floor)));
    const level = mean(from.map((v, i) => v - to[i]));
    distances.push(mean(from.map((v, i) => Math.abs(v - to[i] - level))));
    const p = harmonics(y, rate, centre, heard[k]);
    const q = harmonics(want, rate, centre, truth.f0[k]);
    const strongest = Math.max(...q);
    const heardOnes = Array.from({ length: Math.min(p.length, q.length) }, (_, i) => i).filter(
      i => q[i] > strongest - 40,
    );
    const gain = median(heardOnes.map(i => p[i] - q[i]));
    partials.push(mean(heardOnes.map(i => Math.abs(p[i] - q[i] - gain))));
    crests[0].push(crest(highY, centre, 720));
    crests[1].push(crest(highWant, centre, 720));
    ratios.push(hnr(y, centre, rate / heard[k]) - hnr(want, centre, rate / truth.f0[k]));
    const there = Math.round(centre / pace);
    for (let i = -240; i < 240; i++) {
      energyY += (y[centre + i] ?? 0) ** 2;
      energySung += (sung[there + i] ?? 0) ** 2;
    }
  }
  return {
    pitchMedian: median(errors),
    pitch95: quantile(errors, 0.95),
    envelopeDb: mean(distances),
    harmonicsDb: mean(partials),
    roughnessDb: quantile(crests[0], 0.9) - quantile(crests[1], 0.9),
    hnrDb: mean(ratios),
    levelDb: 10 * Math.log10(energyY / energySung),
  };
}
