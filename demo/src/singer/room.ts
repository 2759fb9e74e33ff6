import { dbToGain, seededRandom } from '@essim/core';
import { SAMPLE_RATE } from './tract';

/** Six early reflections of a small room, each duller than the last, and the hiss of a microphone. Returns a new array. */
export function smallRoom(x: Float32Array, seed: number, wet = 0.5): Float32Array {
  const random = seededRandom(seed);
  const y = Float32Array.from(x);
  for (let i = 0; i < 6; i++) {
    const delay = Math.round((0.0031 + 0.0041 * i + 0.002 * random.uniform()) * SAMPLE_RATE);
    const gain = dbToGain(-16 - 2.2 * i + 1.5 * random.normal()) * (random.uniform() < 0.5 ? -1 : 1) * wet;
    const dull = 0.65 - 0.06 * i;
    let low = 0;
    for (let k = delay, z = 0; k < x.length; k++, z++) {
      low += dull * (x[z] - low) + 1e-18; // never denormal
      y[k] += gain * low;
    }
  }
  let state = Math.imul(seed, 2654435761) | 1;
  let low = 0;
  for (let i = 0; i < y.length; i++) {
    state ^= state << 13;
    state ^= state >>> 17;
    state ^= state << 5;
    const white = state / 4294967296;
    low += 0.12 * (white - low);
    y[i] += low * 1.5e-4 + white * 4e-5;
  }
  return y;
}

/** A larger room after the sound: four feedback delays through a mixing matrix. Returns a new array. */
export function hall(x: Float32Array, seed = 1, wet = 0.16): Float32Array {
  const lengths = [1423, 1777, 2131, 2467].map(v => v + seed * 37);
  const lines = lengths.map(l => new Float32Array(l));
  const at = [0, 0, 0, 0];
  const low = [0, 0, 0, 0];
  const y = new Float32Array(x.length);
  for (let i = 0; i < x.length; i++) {
    let mixed = 0;
    let out = 0;
    for (let k = 0; k < 4; k++) {
      const v = lines[k][at[k]];
      out += k & 1 ? -v : v;
      low[k] += 0.42 * (v - low[k]);
      mixed += low[k];
    }
    for (let k = 0; k < 4; k++) {
      lines[k][at[k]] = x[i] + 1e-18 + 0.78 * (low[k] - mixed * 0.5);
      if (++at[k] >= lengths[k]) at[k] = 0;
    }
    y[i] = x[i] + wet * out;
  }
  return y;
}
