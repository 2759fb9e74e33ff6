import { hzToCents, type Midi } from '../units';
import { medianOf5, midline } from './midline';
import type { Span } from '../units';
import { HOP } from './reading';

const frameOf = (seconds: number): number => Math.round(seconds / HOP);

/** Mean over 15-90 % of the steady part, weighted by steadiness and level. */
export function steadyCentre(
  line: Float64Array,
  from: number,
  to: number,
  levelDb: Float32Array,
  offset: number,
): number {
  const length = to - from;
  const a = from + Math.floor(length * 0.15);
  const b = Math.max(a + 1, to - Math.floor(length * 0.1));
  let loudest = -200;
  for (let i = a; i < b; i++) loudest = Math.max(loudest, levelDb[offset + i]);
  let sum = 0;
  let weights = 0;
  for (let i = a; i < b; i++) {
    const slope = Math.abs(line[Math.min(line.length - 1, i + 2)] - line[Math.max(0, i - 2)]);
    const w = (1 / (1 + (slope / 12) ** 2)) * 10 ** (Math.max(-20, levelDb[offset + i] - loudest) / 40);
    sum += w * line[i];
    weights += w;
  }
  return sum / weights;
}

/**
 * Centre of a stretch: the mean of its midline, weighted by steadiness and level, so that neither vibrato, scoop, fall nor a stuck
 * breath moves it. NaN where nothing is sung.
 */
export function centreOf(f0: Float32Array, levelDb: Float32Array, s: Span): Midi {
  const cents: number[] = [];
  const levels: number[] = [];
  for (let k = Math.max(0, frameOf(s.start)); k < Math.min(f0.length, frameOf(s.end)); k++)
    if (f0[k] > 0) {
      cents.push(hzToCents(f0[k]));
      levels.push(levelDb[k]);
    }
  if (!cents.length) return NaN;
  const line = midline(medianOf5(Float64Array.from(cents)));
  return steadyCentre(line, 0, line.length, Float32Array.from(levels), 0) / 100;
}
