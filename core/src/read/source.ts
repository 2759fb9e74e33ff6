import { predict } from '../signal/prediction';
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
  const window = Float64Array.from({ length: size }, (_, i) => 0.5 - 0.5 * Math.cos((2 * Math.PI * (i + 0.5)) / size));
  const flat = new Float64Array(x.length);
  for (let i = 1; i < x.length; i++) flat[i] = x[i] - PRE_EMPHASIS * x[i - 1];
  const frame = new Float64Array(size);
  let before = new Float64Array(order + 1);
  let after = new Float64Array(order + 1);
  const filter = new Float64Array(order + 1);
  const source = new Float32Array(x.length);
  let known = -1;
  for (let k = 0; stepAt(k + 1) < x.length; k++) {
    const [centre, next] = [stepAt(k), stepAt(k + 1)];
    if (!voicedNear(f0, centre / sampleRate, next / sampleRate)) continue;
    if (known !== centre) predict(cut(flat, centre, window, frame), order, after, FLOOR);
    [before, after] = [after, before];
    known = next;
    predict(cut(flat, known, window, frame), order, after, FLOOR);
    // one frame's filter turns into the next one's in a few small steps
    for (let p = 0; p < PARTS; p++) {
      const u = (p + 0.5) / PARTS;
      for (let l = 0; l <= order; l++) filter[order - l] = before[l] + (after[l] - before[l]) * u;
      const border = (q: number) => centre + Math.round(((next - centre) * q) / PARTS);
      for (let j = Math.max(order, border(p)), z = border(p + 1); j < z; j++) {
        let left = 0;
        for (let l = 0, i = j - order; l <= order; l++, i++) left += filter[l] * flat[i];
        source[j] = left;
      }
    }
  }
  return smooth(source);
}

function voicedNear(f0: Float32Array, from: number, to: number): boolean {
  const a = Math.max(0, Math.floor((from - REACH) / HOP));
  const b = Math.min(f0.length - 1, Math.ceil((to + REACH) / HOP));
  for (let k = a; k <= b; k++) if (f0[k] > 0) return true;
  return false;
}

/** A windowed frame about a sample; outside the take it is still. */
function cut(x: Float64Array, centre: number, window: Float64Array, frame: Float64Array): Float64Array {
  const from = centre - (frame.length >> 1);
  for (let i = 0; i < frame.length; i++) {
    const j = from + i;
    frame[i] = j >= 0 && j < x.length ? x[j] * window[i] : 0;
  }
  return frame;
}

/** Three samples, weighed 1 2 1: the source's own hiss would hide its pulses. */
function smooth(x: Float32Array): Float32Array {
  const y = new Float32Array(x.length);
  for (let i = 1; i < x.length - 1; i++) y[i] = (x[i - 1] + 2 * x[i] + x[i + 1]) / 4;
  return y;
}
