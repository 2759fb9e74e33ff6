import { Fourier, hann } from '../signal/fft';
import { HOP } from './reading';

const EDGES = [
  150, 300, 450, 600, 800, 1000, 1250, 1500, 1800, 2150, 2500, 3000, 3600, 4300, 5200, 6500, 8000, 10000, 12500, 16000,
];

/** Power in bands per frame; band q of frame k at k * count + q. */
export interface Bands {
  count: number;
  /** Lower edges in Hz, and the upper edge of the last: count + 1 numbers. */
  edgesHz: number[];
  power: Float32Array;
}

/** Power in 19 bands each 5 ms from Hann frames of about 10 ms at the full rate, two real frames a transform, as if the sound came in by the gain. */
export function bandPowers(
  x: Float32Array,
  sampleRate: number,
  frames: number,
  gain: number,
  onFrame: (k: number) => void,
): Bands {
  const size = sampleRate > 64000 ? 1024 : sampleRate > 30000 ? 512 : 256;
  const fourier = Fourier.of(size);
  const { input, output } = fourier;
  const window = hann(size);
  const edges = EDGES.map(f => Math.max(1, Math.min(size / 2, Math.round((f * size) / sampleRate))));
  const count = edges.length - 1;
  const power = new Float32Array(frames * count);
  const scale = (gain * gain) / (size * size * 0.375 * 0.5);
  for (let k = 0; k < frames; k += 2) {
    onFrame(k);
    const a = Math.round(k * HOP * sampleRate) - size / 2;
    const b = Math.round((k + 1) * HOP * sampleRate) - size / 2;
    if (a >= 0 && b + size <= x.length)
      for (let i = 0; i < size; i++) {
        input[2 * i] = x[a + i] * window[i];
        input[2 * i + 1] = x[b + i] * window[i];
      }
    else
      for (let i = 0; i < size; i++) {
        input[2 * i] = (x[a + i] ?? 0) * window[i];
        input[2 * i + 1] = (x[b + i] ?? 0) * window[i];
      }
    fourier.forward();
    for (let q = 0; q < count; q++) {
      let sumA = 0;
      let sumB = 0;
      for (let i = edges[q]; i < Math.max(edges[q + 1], edges[q] + 1); i++) {
        const j = size - i;
        const ar = output[2 * i] + output[2 * j];
        const ai = output[2 * i + 1] - output[2 * j + 1];
        const br = output[2 * i + 1] + output[2 * j + 1];
        const bi = output[2 * j] - output[2 * i];
        sumA += ar * ar + ai * ai;
        sumB += br * br + bi * bi;
      }
      power[k * count + q] = sumA * scale + 1e-12;
      if (k + 1 < frames) power[(k + 1) * count + q] = sumB * scale + 1e-12;
    }
  }
  return { count, edgesHz: edges.map(e => (e * sampleRate) / size), power };
}
