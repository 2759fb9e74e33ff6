import { hann } from '../signal/fft';
import { solve } from '../signal/prediction';
import { copySamples } from '../signal/samples';
import { BYTES, placesFor } from '../signal/single';
import { HOP } from './reading';

/** Length of the frame a vowel is judged from, and how often it is judged anew, s. */
const FRAME = 0.03;
const STEP = 0.01;
/** Passages between two frames' filters. */
const PARTS = 4;
/** How far around a voiced frame its measurement looks, s. */
const REACH = 0.03;
const PRE_EMPHASIS = 0.9;
/** Keeps the prediction from chasing single harmonics of a high voice. */
const FLOOR = 1.0005;

/**
 * The voice without its vowel: what linear prediction leaves over (Makhoul 1975), smoothed a little. A vowel on the move shifts
 * the harmonics it passes and bends every pitch measured from the wave itself by tens of cents; the source does not know of it
 * (Markel 1972).
 * @param x the voice at about 12 kHz
 * @param f0 Hz a frame of HOP; where it is 0 nothing is looked at and the result is 0
 * @returns as many samples as x
 */
export function sourceOf(x: Float32Array, sampleRate: number, f0: Float32Array): Float32Array {
  // steps lie where they lie however long the take is and wherever it begins
  const stepAt = (k: number) => Math.round(k * STEP * sampleRate);
  const size = Math.round(FRAME * sampleRate);
  const order = Math.max(6, Math.round(sampleRate / 1500));
  const before = new Float64Array(order + 1);
  const after = new Float64Array(order + 1);
  const zeros = Math.ceil(order / 4) * 4;
  const longest = Math.ceil(STEP * sampleRate) + 1;
  const { run, piece, window, frame, alike, taps, left } = placesFor({
    piece: Math.max(size, longest + order),
    window: size,
    frame: zeros + size,
    alike: order + 1,
    taps: order + 1,
    left: longest,
  });
  window.values.set(hann(size));
  const flat = emphasised(x);
  const predict = (centre: number, a: Float64Array) => {
    copySamples(flat, centre - (size >> 1), size, piece.values);
    run.autocorrelation(piece.at, window.at, size, order, frame.at + zeros * BYTES, alike.at);
    solve(alike.values, order, a, FLOOR);
  };
  const source = new Float32Array(x.length);
  let known = -1;
  for (let k = 0; stepAt(k + 1) < x.length; k++) {
    const [centre, next] = [stepAt(k), stepAt(k + 1)];
    if (!voicedNear(f0, centre / sampleRate, next / sampleRate)) continue;
    if (known === centre) before.set(after);
    else predict(centre, before);
    known = next;
    predict(known, after);
    // one frame's filter turns into the next one's in a few small steps
    copySamples(flat, centre - order, next - centre + order, piece.values);
    for (let p = 0; p < PARTS; p++) {
      const u = (p + 0.5) / PARTS;
      for (let l = 0; l <= order; l++) taps.values[order - l] = before[l] + (after[l] - before[l]) * u;
      const border = (q: number) => Math.round(((next - centre) * q) / PARTS);
      const [from, to] = [border(p), border(p + 1)];
      run.filtered(piece.at + from * BYTES, taps.at, order + 1, to - from, left.at + from * BYTES);
    }
    source.set(left.values.subarray(0, next - centre), centre);
  }
  // before the first whole order of samples nothing can be predicted
  source.fill(0, 0, order);
  return smooth(source);
}

function emphasised(x: Float32Array): Float32Array {
  const flat = new Float32Array(x.length);
  for (let i = 1; i < x.length; i++) flat[i] = x[i] - PRE_EMPHASIS * x[i - 1];
  return flat;
}

function voicedNear(f0: Float32Array, from: number, to: number): boolean {
  const a = Math.max(0, Math.floor((from - REACH) / HOP));
  const b = Math.min(f0.length - 1, Math.ceil((to + REACH) / HOP));
  for (let k = a; k <= b; k++) if (f0[k] > 0) return true;
  return false;
}

/** Three samples, weighed 1 2 1: the source's own hiss would hide its pulses. */
function smooth(x: Float32Array): Float32Array {
  const y = new Float32Array(x.length);
  for (let i = 1; i < x.length - 1; i++) y[i] = (x[i - 1] + 2 * x[i] + x[i + 1]) / 4;
  return y;
}
