import { clamp, type Cents } from '../units';
import type { FrameSpan } from './movement';

/** What a follower's pitch leans to. */
export interface LeanTo {
  /** Lead's pitch for each follower frame, cents; NaN where it is not sung. */
  lead: Float64Array;
  /** 0..100. */
  amount: number;
}

/** The lead's pitch is looked at over so many frames either way: its grain is its own. */
const SMOOTH = 8;
/** Less of a note than this has a counterpart: it is left. */
const LEAST_SHARE = 0.3;
/** So near a whole octave it is the same tune; else the interval between the two is kept. */
const SAME_TUNE: Cents = 150;
const MOST: Cents = 250;
/** Neighbouring notes go over into each other in so many frames either way. */
const BLEND = 6;

/**
 * Cents to add to a follower's line so that it comes nearer to its lead's: by octaves where it sings the same tune, else at the interval
 * it keeps, note by note. Slow movement comes along, grain does not.
 * @param line the follower's pitch, cents a frame @param voiced 1 where sung @param notes frames [start, end) in order
 */
export function leanCents(
  line: Float64Array,
  voiced: Uint8Array,
  notes: readonly FrameSpan[],
  to: LeanTo,
): Float32Array {
  const pull = new Float32Array(line.length);
  for (const note of notes) leanNote(pull, line, voiced, note, to);
  const out = new Float32Array(line.length);
  smoothPull(out, pull, voiced, 0, line.length);
  return out;
}

/** Frames about a note in which its pull is felt, for notes go over into each other. */
export const LEAN_REACH = BLEND;

/** Writes how far one note is pulled: all of its frames, 0 where it has no counterpart. */
export function leanNote(
  pull: Float32Array,
  line: Float64Array,
  voiced: Uint8Array,
  { start, end }: FrameSpan,
  { lead, amount }: LeanTo,
): void {
  pull.fill(0, start, end);
  const share = clamp(amount / 100, 0, 1);
  if (!share) return;
  const apart: number[] = [];
  for (let k = start; k < end; k++) if (voiced[k] && !Number.isNaN(lead[k])) apart.push(lead[k] - line[k]);
  if (apart.length < LEAST_SHARE * (end - start)) return;
  apart.sort((a, b) => a - b);
  const middle = apart[apart.length >> 1];
  const octave = Math.round(middle / 1200) * 1200;
  const interval = Math.abs(middle - octave) <= SAME_TUNE ? octave : Math.round(middle / 100) * 100;
  let held = middle - interval;
  // outside what both sing the last difference holds
  const own = new Float64Array(end - start);
  for (let k = start; k < end; k++) {
    if (voiced[k] && !Number.isNaN(lead[k]) && Math.abs(lead[k] - line[k] - middle) < MOST)
      held = lead[k] - line[k] - interval;
    own[k - start] = held;
  }
  for (let k = start; k < end; k++) {
    let sum = 0;
    let count = 0;
    for (let d = -SMOOTH; d <= SMOOTH; d++) {
      const v = own[k - start + d];
      if (v === undefined) continue;
      sum += v;
      count++;
    }
    pull[k] = share * clamp(sum / count, -MOST, MOST);
  }
}

/** Writes frames [from, to) of what is added to the line: no steps where notes join. */
export function smoothPull(out: Float32Array, pull: Float32Array, voiced: Uint8Array, from: number, to: number): void {
  for (let k = from; k < to; k++) {
    out[k] = 0;
    if (!voiced[k]) continue;
    let sum = 0;
    let count = 0;
    for (let d = -BLEND; d <= BLEND; d++)
      if (voiced[k + d]) {
        sum += pull[k + d];
        count++;
      }
    out[k] = sum / count;
  }
}
