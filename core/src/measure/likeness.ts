import { powerOfTwoFrom, Fourier } from '../signal/fft';
import { highPass } from '../signal/filter';
import { quantile } from '../signal/statistics';
import { halfRate, stretchesOf, type Stretches } from '../signal/stretches';
import type { Seconds } from '../units';

/** How close two tracks are to being copies of each other. */
export interface Likeness {
  /** 0..1 every STEP seconds; NaN where one of them is silent. */
  curve: Float32Array;
  step: Seconds;
  /** Median over what both sing; 0 when they never sing together. */
  whole: number;
  /** Stretches of half a second and more in which they hollow each other out. */
  hollow: { start: Seconds; end: Seconds }[];
}

const STEP: Seconds = 0.05;
const WINDOW: Seconds = 0.1;
const MOST_LAG: Seconds = 0.005;
/** Above this, this near in time, the two cancel. */
export const HOLLOW = 0.9;
const HOLLOW_LAG: Seconds = 0.003;
const HOLLOW_LENGTH: Seconds = 0.5;
const LOW_HZ = 100;
/** So far under its loud parts a track is silent. */
const SILENT_DB = 40;

/** Tracks are compared at such a rate at most, Hz. */
const MOST_RATE = 12000;
/** Samples of it that are made at once. */
const PIECE = 2 ** 16;

/** The rate at which sounds of a rate are compared. */
export const comparedRate = (sampleRate: number): number =>
  sampleRate > MOST_RATE ? comparedRate(sampleRate / 2) : sampleRate;

/** A sound at the rate at which it is compared, made piece by piece: of ten minutes 29 MB instead of 115. */
export function asCompared(sound: Stretches, sampleRate: number): Float32Array {
  let low = sound;
  for (let rate = sampleRate; rate > MOST_RATE; rate /= 2) low = halfRate(low);
  const out = new Float32Array(low.length);
  for (let at = 0; at < out.length; at += PIECE) out.set(low.stretch(at, Math.min(out.length, at + PIECE)), at);
  return out;
}

/**
 * Short-time normalised cross-correlation of two tracks between 100 Hz and about 4 kHz, at the best lag within 5 ms.
 * @param a, b one channel each from the same zero
 */
export function likenessOf(a: Float32Array, b: Float32Array, sampleRate: number): Likeness {
  const rate = comparedRate(sampleRate);
  const low = (s: Float32Array) => (rate === sampleRate ? s : asCompared(stretchesOf(s), sampleRate));
  const [x, y] = [a, b].map(s => highPass(low(s), rate, LOW_HZ));
  const window = Math.round(WINDOW * rate);
  const lags = Math.round(MOST_LAG * rate);
  const step = STEP * rate;
  const frames = Math.max(1, Math.floor(Math.min(x.length, y.length) / step));
  const size = powerOfTwoFrom(window + 2 * lags);
  const fourier = Fourier.of(size);
  const curve = new Float32Array(frames).fill(NaN);
  const lagAt = new Float32Array(frames);
  const [ex, ey] = [energies(x, frames, step, window), energies(y, frames, step, window)];
  const [fx, fy] = [ex, ey].map(e => quantile(e, 0.97) * 10 ** (-SILENT_DB / 10) + 1e-12);
  for (let k = 0; k < frames; k++) {
    if (ex[k] < fx || ey[k] < fy) continue;
    const from = Math.round(k * step) - (window >> 1);
    const { match, lag } = bestMatch(fourier, x, y, from, window, lags);
    curve[k] = Math.max(0, match);
    lagAt[k] = lag / rate;
  }
  const heard = curve.filter(v => !Number.isNaN(v));
  const hollow: Likeness['hollow'] = [];
  for (let k = 0; k < frames; k++) {
    const first = k;
    while (k < frames && curve[k] > HOLLOW && Math.abs(lagAt[k]) < HOLLOW_LAG) k++;
    if ((k - first) * STEP >= HOLLOW_LENGTH) hollow.push({ start: first * STEP, end: k * STEP });
  }
  return { curve, step: STEP, whole: heard.length ? quantile(heard, 0.5) : 0, hollow };
}

/** Energy of the window about each frame, per sample. */
function energies(x: Float32Array, frames: number, step: number, window: number): Float64Array {
  return Float64Array.from({ length: frames }, (_, k) => {
    const from = Math.round(k * step) - (window >> 1);
    let s = 0;
    for (let i = Math.max(0, from); i < Math.min(x.length, from + window); i++) s += x[i] * x[i];
    return s / window;
  });
}

/** Best normalised correlation of a window of x with y moved by up to so many samples; both in one complex transform. */
function bestMatch(fourier: Fourier, x: Float32Array, y: Float32Array, from: number, window: number, lags: number) {
  const { input, output, size } = fourier;
  input.fill(0);
  let own = 0;
  for (let i = 0; i < window; i++) {
    const v = x[from + i] ?? 0;
    input[2 * i] = v;
    own += v * v;
  }
  // y stands lags samples to the right, so that lag -lags is at 0
  for (let i = 0; i < window + 2 * lags; i++) input[2 * i + 1] = y[from - lags + i] ?? 0;
  fourier.forward();
  // cross spectrum conj(X) Y from the transform of x + iy
  const cross = new Float64Array(2 * size);
  for (let k = 0; k < size; k++) {
    const j = (size - k) % size;
    const xr = (output[2 * k] + output[2 * j]) / 2;
    const xi = (output[2 * k + 1] - output[2 * j + 1]) / 2;
    const yr = (output[2 * k + 1] + output[2 * j + 1]) / 2;
    const yi = (output[2 * j] - output[2 * k]) / 2;
    // conjugated, for the transform back is done by the forward one
    cross[2 * k] = xr * yr + xi * yi;
    cross[2 * k + 1] = -(xr * yi - xi * yr);
  }
  input.set(cross);
  fourier.forward();
  let energy = 0;
  for (let i = 0; i < window; i++) energy += (y[from - lags + i] ?? 0) ** 2;
  let match = 0;
  let lag = 0;
  for (let d = 0; d <= 2 * lags; d++) {
    const v = output[2 * d] / size / Math.sqrt(own * energy + 1e-20);
    if (v > match) [match, lag] = [v, d - lags];
    const [out, inn] = [y[from - lags + d] ?? 0, y[from - lags + d + window] ?? 0];
    energy += inn * inn - out * out;
  }
  return { match, lag };
}
