import type { Seconds } from '../units';
import { medianOf5, midline } from './midline';
import type { Span } from '../units';
import { HOP, runsOf } from './reading';

/** Voiced runs this near belong to one stretch of speech. */
const GAP: Seconds = 0.3;
/** A plateau: so long within so many cents of its middle. Sung notes are made of them; speech glides on. */
const PLATEAU_FRAMES = 30;
const PLATEAU_CENTS = 40;
/** Fast singing has no plateaus, but goes in steps: so long within so many cents. Made-up talk has .53 of its time on such at most. */
const STEP_FRAMES = 14;
const STEP_CENTS = 20;
const MOST_STEPS = 0.55;
/** Speech: less of the voiced time than this on plateaus (made-up talk has .22 at most, the fastest singing .35), over at least so much. */
const MOST_PLATEAU = 0.31;
const LEAST_VOICED: Seconds = 0.6;
/**
 * A fast run of notes, however short they are, steps from one to the next: calm for so many frames (at most so many semitones a second),
 * away by a semitone within so many frames, and calm again, again and again. Talk turns about, and seldom rests before and after.
 */
const CALM_SPEED = 8;
const CALM_FRAMES = 5;
const STEP_WITHIN = 22;
const LEAST_STEP_CENTS = 100;
const MOST_STEPS_A_SECOND = 2.5;
const SPEED_REACH = 3;
/** A run that is sung ends a stretch of speech. */
const SUNG_SHARE = 0.65;

/**
 * Stretches that are spoken, rapped or shouted: the pitch never stays. Vibratos count by their middle.
 * @param f0 Hz per frame, 0 where unpitched
 */
export function findSpoken(f0: Float32Array): Span[] {
  const runs = runsOf(f0).map(([a, z]) => {
    const line = midline(medianOf5(Float64Array.from(f0.subarray(a, z), hz => 1200 * Math.log2(hz / 440))));
    return {
      a,
      z,
      steady: framesOn(line, PLATEAU_FRAMES, PLATEAU_CENTS),
      stepped: framesOn(line, STEP_FRAMES, STEP_CENTS),
      leaps: stepsIn(line),
    };
  });
  const out: Span[] = [];
  for (let i = 0; i < runs.length; i++) {
    let voiced = 0;
    let steady = 0;
    let stepped = 0;
    let leaps = 0;
    let last = i - 1;
    for (let j = i; j < runs.length; j++) {
      const { a, z, steady: s, stepped: t, leaps: l } = runs[j];
      if (j > i && (a - runs[j - 1].z) * HOP > GAP) break;
      if (s > SUNG_SHARE * (z - a)) break;
      voiced += z - a;
      steady += s;
      stepped += t;
      leaps += l;
      last = j;
    }
    if (last < i) continue;
    if (
      voiced * HOP >= LEAST_VOICED &&
      steady < MOST_PLATEAU * voiced &&
      stepped < MOST_STEPS * voiced &&
      leaps < MOST_STEPS_A_SECOND * voiced * HOP
    )
      out.push({ start: runs[i].a * HOP, end: runs[last].z * HOP });
    i = last;
  }
  return out;
}

/** How often a run steps from one calm pitch to another. */
function stepsIn(y: Float64Array): number {
  let steps = 0;
  let since = -1;
  let left = -Infinity;
  let pitch = NaN;
  for (let i = SPEED_REACH; i + SPEED_REACH < y.length; i++) {
    const speed = Math.abs(y[i + SPEED_REACH] - y[i - SPEED_REACH]) / 100 / (2 * SPEED_REACH * HOP);
    if (speed > CALM_SPEED) {
      since = -1;
      continue;
    }
    if (since < 0) since = i;
    if (i - since + 1 < CALM_FRAMES) continue;
    if (since - left <= STEP_WITHIN && since > left && Math.abs(y[i] - pitch) > LEAST_STEP_CENTS) steps++;
    left = i;
    pitch = y[i];
  }
  return steps;
}

/** How many frames of a run lie on a plateau of so many frames within so many cents. */
function framesOn(y: Float64Array, frames: number, cents: number): number {
  const on = new Uint8Array(y.length);
  for (let i = 0; i + frames <= y.length; i++) {
    let low = Infinity;
    let high = -Infinity;
    for (let j = i; j < i + frames; j++) {
      low = Math.min(low, y[j]);
      high = Math.max(high, y[j]);
    }
    if (high - low < cents) on.fill(1, i, i + frames);
  }
  return on.reduce((s, v) => s + v, 0);
}
