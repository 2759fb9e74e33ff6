import type { Span } from '../units';
import type { TimeMap } from '../song/timemap';
import type { Cents, Decibels, Seconds } from '../units';

/** A lead as its followers lean to it, a number a frame of its own time. */
export interface LeadLine {
  /** NaN where it is not sung. */
  cents: ArrayLike<Cents>;
  levelDb: ArrayLike<Decibels>;
  hop: Seconds;
}

/**
 * What is sung at the counterparts of a follower's frames.
 * @param frames, hop of the follower @param counterpart follower time to lead time
 * @param alone stretches of the follower that lean to nothing: without a counterpart, or left as sung
 * @returns cents and dB a frame of the follower; NaN where nothing is sung or nothing belongs there
 */
export function leadAt(
  lead: LeadLine,
  frames: number,
  hop: Seconds,
  counterpart: TimeMap,
  alone: readonly Span[],
): { cents: Float64Array; levelDb: Float64Array } {
  const cents = new Float64Array(frames).fill(NaN);
  const levelDb = new Float64Array(frames).fill(NaN);
  for (let k = 0; k < frames; k++) {
    const j = Math.round(counterpart.forward(k * hop) / lead.hop);
    const pitch = lead.cents[j] ?? NaN;
    if (Number.isNaN(pitch)) continue;
    cents[k] = pitch;
    levelDb[k] = lead.levelDb[j] ?? NaN;
  }
  for (const { start, end } of alone) {
    const [a, z] = [start, end].map(t => Math.max(0, Math.round(t / hop)));
    cents.fill(NaN, a, z);
    levelDb.fill(NaN, a, z);
  }
  return { cents, levelDb };
}
