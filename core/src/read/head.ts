import type { Seconds } from '../units';
import { HOP, LEVEL_FLOOR_DB, type Reading } from './reading';
import { quietest, stepPowers } from './rests';

/** The beginning is looked for between these, counted from the first sound. */
const SHORTEST: Seconds = 12;
const LONGEST: Seconds = 30;
/** A take not this many times longer is read at once. */
const WORTH_IT = 3;
const STEP: Seconds = 0.05;
/** The rest it ends in. */
const REST_STEPS = 8;
const HEARD = 0.03;

/**
 * How many samples hold a take's first phrases: up to the quietest rest some 12 to 30 seconds after its first sound. Null when the take
 * is too short for reading them ahead to be worth it.
 */
export function headLength(x: Float32Array, sampleRate: number): number | null {
  const step = Math.round(STEP * sampleRate);
  const power = stepPowers([x], step);
  const loudest = power.reduce((m, v) => Math.max(m, v), 0);
  const first = power.findIndex(v => v > HEARD * HEARD * loudest);
  if (first < 0) return null;
  const rest = quietest(power, REST_STEPS, first + SHORTEST / STEP, first + LONGEST / STEP);
  const middle = rest + REST_STEPS / 2;
  return rest < 0 || middle * step * WORTH_IT > x.length ? null : middle * step;
}

/** A reading of a take's beginning as one of the whole take, in which nothing is heard after it: frames after it have no candidates. */
export function asWhole(head: Reading, duration: Seconds): Reading {
  const frames = Math.floor(duration / HOP) + 1;
  const half = (frames + 1) >> 1;
  const long = (x: Float32Array, length: number, empty: number) => {
    const out = new Float32Array(length).fill(empty);
    out.set(x.subarray(0, length));
    return out;
  };
  const count = new Uint8Array(half);
  count.set(head.candidates.count.subarray(0, half));
  return {
    ...head,
    duration,
    f0: long(head.f0, frames, 0),
    levelDb: long(head.levelDb, frames, LEVEL_FLOOR_DB),
    colour: long(head.colour, frames, 0),
    vowelsDb: long(head.vowelsDb, frames, LEVEL_FLOOR_DB),
    candidates: { ...head.candidates, count },
  };
}
