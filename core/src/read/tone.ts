import { dbToGain, type Hertz } from '../units';
import { HOP } from './reading';

/** Amplitudes of the tone's harmonics: plain, but not so pure that its octave is hard to hear. */
const HARMONICS = [1, 0.35, 0.2, 0.1];
const SWELL_FRAMES = 3;

/**
 * A pitch line as a plain tone that is as loud as the voice, to be held against it by ear.
 * @param f0 Hz per frame, 0 where silent @param levelDb per frame @param length samples
 */
export function toneOf(f0: Float32Array, levelDb: Float32Array, sampleRate: Hertz, length: number): Float32Array {
  const gain = new Float32Array(f0.length);
  for (let k = 0; k < f0.length; k++) {
    if (!(f0[k] > 0)) continue;
    let sum = 0;
    let count = 0;
    for (let j = k - SWELL_FRAMES; j <= k + SWELL_FRAMES; j++)
      if (f0[j] > 0) {
        sum += levelDb[j];
        count++;
      }
    gain[k] = Math.min(1, 1.1 * dbToGain(sum / count));
  }
  const out = new Float32Array(length);
  const hop = HOP * sampleRate;
  let phase = 0;
  for (let i = 0; i < length; i++) {
    const at = i / hop;
    const k = Math.min(f0.length - 1, at | 0);
    const next = Math.min(f0.length - 1, k + 1);
    const u = at - k;
    const level = gain[k] * (1 - u) + gain[next] * u;
    if (!level) continue;
    const hz = f0[k] > 0 && f0[next] > 0 ? f0[k] * (1 - u) + f0[next] * u : f0[k] || f0[next];
    phase += hz / sampleRate;
    if (phase >= 1) phase -= 1;
    let v = 0;
    for (let h = 0; h < HARMONICS.length; h++) v += HARMONICS[h] * Math.sin(2 * Math.PI * (h + 1) * phase);
    out[i] = level * v;
  }
  return out;
}
