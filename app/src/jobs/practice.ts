import { hashNoise } from '@essim/core';

/** Seconds of each of its notes. */
const NOTE = 0.5;

/** A made-up voice that goes through some notes, each with a hiss before it and a rest after it: everything reading does happens in it. */
export function practicePiece(sampleRate: number, seconds = 2): Float32Array {
  const out = new Float32Array(seconds * sampleRate);
  let phase = 0;
  for (let i = 0; i < out.length; i++) {
    const t = i / sampleRate;
    const within = t % NOTE;
    const hz = 200 * 2 ** (Math.floor(t / NOTE) / 6 + 0.03 * Math.sin(35 * t));
    phase += (2 * Math.PI * hz) / sampleRate;
    if (within < 0.06) out[i] = 0.03 * hashNoise(i);
    else if (within < 0.42) for (let h = 1; h < 12; h++) out[i] += (0.15 / h) * Math.sin(h * phase);
  }
  return out;
}
