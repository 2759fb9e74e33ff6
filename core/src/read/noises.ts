import { quantile } from '../signal/statistics';
import { HOP, type NoiseKind, type ReadNoise } from './reading';
import type { Bands } from './spectra';

const OVER_FLOOR_DB = 9;
const UNDER_LOUD_DB = 52;
const SHORTEST = 3;
/** A plosive: frames at most, its peak within, and the rise before it. */
const PLOSIVE = { longest: 13, peakWithin: 3, riseDb: 12 };
const SIBILANT_DB = 9;
const SHORTEST_BREATH = 7;

/** Unpitched sounds: stretches between voiced frames clearly over the take's floor, told apart by length, attack and colour. */
export function findNoises(f0: Float32Array, bands: Bands, loudDb: number): ReadNoise[] {
  const frames = f0.length;
  const { count, edgesHz, power } = bands;
  const energy = (k: number, lowHz: number, highHz: number) => {
    let sum = 0;
    for (let q = 0; q < count; q++) if (edgesHz[q] >= lowHz && edgesHz[q] < highHz) sum += power[k * count + q];
    return sum;
  };
  const level = Float64Array.from({ length: frames }, (_, k) => 10 * Math.log10(energy(k, 590, 13000) + 1e-12));
  const floor = quantile(
    level.filter((_, k) => !f0[k]),
    0.15,
  );
  const threshold = Math.max(floor + OVER_FLOOR_DB, loudDb - UNDER_LOUD_DB);
  const heard = (k: number) => k < frames && !f0[k] && level[k] > threshold;
  const out: ReadNoise[] = [];
  for (let s = 0; s < frames; s++) {
    if (!heard(s)) continue;
    let end = s;
    while (end < frames && !f0[end] && (level[end] > threshold || heard(end + 1))) end++;
    // the dying tail of the note before is not a noise
    let start = s;
    if (start > 0 && f0[start - 1] > 0) while (start < end - 1 && level[start + 1] < level[start] + 0.5) start++;
    let peak = start;
    for (let i = start; i < end; i++) if (level[i] > level[peak]) peak = i;
    const until = end < frames && f0[end] > 0 ? Math.min(frames, end + 2) : end;
    const length = until - start;
    if (length >= SHORTEST) {
      let below = 0;
      let above = 0;
      for (let i = start; i < end; i++) {
        below += energy(i, 590, 2300);
        above += energy(i, 2300, 13000);
      }
      const rise = level[peak] - level[Math.max(0, peak - 3)];
      let kind: NoiseKind = 'breath';
      if (length <= PLOSIVE.longest && peak - start <= PLOSIVE.peakWithin && rise > PLOSIVE.riseDb) kind = 'plosive';
      else if (10 * Math.log10(above / (below + 1e-12)) > SIBILANT_DB) kind = 'sibilant';
      if (kind !== 'breath' || length >= SHORTEST_BREATH)
        out.push({ start: Math.max(0, start * HOP - HOP / 2), end: until * HOP - HOP / 2, kind });
    }
    s = end;
  }
  return out;
}
