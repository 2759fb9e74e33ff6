import { powerFrames } from '../signal/frames';
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
  const edges = EDGES.map(f => Math.max(1, Math.min(size / 2, Math.round((f * size) / sampleRate))));
  const count = edges.length - 1;
  const power = new Float32Array(frames * count);
  const scale = (4 * gain * gain) / (size * size * 0.375 * 0.5);
  powerFrames(x, size, HOP * sampleRate, frames, (k, bins) => {
    onFrame(k);
    for (let q = 0; q < count; q++) {
      let sum = 0;
      for (let i = edges[q]; i < Math.max(edges[q + 1], edges[q] + 1); i++) sum += bins[i];
      power[k * count + q] = sum * scale + 1e-12;
    }
  });
  return { count, edgesHz: edges.map(e => (e * sampleRate) / size), power };
}

/** Level of the bands from one frequency to another each frame, dB. @param least power that is added, so that silence has a level */
export function levelBetween(bands: Bands, frames: number, fromHz: number, toHz: number, least = 1e-12): Float32Array {
  const { count, edgesHz, power } = bands;
  const out = new Float32Array(frames);
  for (let k = 0; k < frames; k++) {
    let sum = 0;
    for (let q = 0; q < count; q++) if (edgesHz[q] >= fromHz && edgesHz[q] < toHz) sum += power[k * count + q];
    out[k] = 10 * Math.log10(sum + least);
  }
  return out;
}
