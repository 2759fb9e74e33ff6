import { Fourier, hann, hzToCents } from '@essim/core';
import type { Truth } from '@essim/demo';

/** How near a rendering comes to the singer really singing so. */
export interface SoundScore {
  /** Cents, from the epochs of both, in voiced frames. */
  pitchMedian: number;
  pitch95: number;
  /** Mean difference of 40-band mel envelopes over pitched frames, dB, levels equalised. */
  envelopeDb: number;
  /** Against the take as sung: an edit keeps its loudness, where a singer's own would change with pitch. */
  levelDb: number;
}

const SIZE = 2048;
const BANDS = 40;

/** Mel-band levels in dB of the frame about a sample. */
function envelope(x: Float32Array, sampleRate: number, centre: number): Float64Array {
  const f = Fourier.of(SIZE);
  const window = hann(SIZE);
  f.input.fill(0);
  for (let i = 0; i < SIZE; i++) f.input[2 * i] = (x[centre - SIZE / 2 + i] ?? 0) * window[i];
  f.forward();
  const mel = (hz: number) => 2595 * Math.log10(1 + hz / 700);
  const top = mel(10000);
  const out = new Float64Array(BANDS).fill(1e-9);
  for (let b = 1; b < SIZE / 2; b++) {
    const band = Math.floor((mel((b * sampleRate) / SIZE) / top) * BANDS);
    if (band < BANDS) out[band] += f.output[2 * b] ** 2 + f.output[2 * b + 1] ** 2;
  }
  return out.map(v => 10 * Math.log10(v));
}

/**
 * Compares a rendering with a truth that sang the same at the wanted pitch.
 * @param heard the rendering's own pitch line (Hz each 5 ms), read by Essim
 */
export function compareSound(
  y: Float32Array,
  heard: ArrayLike<number>,
  want: Float32Array,
  sung: Float32Array,
  truth: Truth,
): SoundScore {
  const errors: number[] = [];
  let distance = 0;
  let frames = 0;
  let energyY = 0;
  let energyW = 0;
  for (let k = 4; k + 4 < truth.f0.length; k++) {
    const steady = [-4, 0, 4].every(d => truth.f0[k + d] > 0 && heard[k + d] > 0);
    if (!steady) continue;
    errors.push(Math.abs(hzToCents(heard[k]) - hzToCents(truth.f0[k])));
    if (k % 4) continue;
    const centre = Math.round(k * truth.hop * truth.sampleRate);
    const a = envelope(y, truth.sampleRate, centre);
    const b = envelope(want, truth.sampleRate, centre);
    const level = a.reduce((s, v, i) => s + v - b[i], 0) / BANDS;
    distance += a.reduce((s, v, i) => s + Math.abs(v - b[i] - level), 0) / BANDS;
    for (let i = -240; i < 240; i++) {
      energyY += (y[centre + i] ?? 0) ** 2;
      energyW += (sung[centre + i] ?? 0) ** 2;
    }
    frames++;
  }
  errors.sort((p, q) => p - q);
  return {
    pitchMedian: errors[errors.length >> 1] ?? NaN,
    pitch95: errors[Math.floor(errors.length * 0.95)] ?? NaN,
    envelopeDb: distance / frames,
    levelDb: 10 * Math.log10(energyY / energyW),
  };
}
