import type { Seconds } from '../units';
import { medianOf5, midline } from './midline';
import type { Span } from '../units';
import { HOP } from './reading';
import { runsOf } from './reading';

/** Voiced runs this near belong to one stretch of speech. */
const GAP: Seconds = 0.3;
/** A plateau: so long within so many cents of its middle. Sung notes are made of them; speech glides on. */
const PLATEAU_FRAMES = 30;
const PLATEAU_CENTS = 40;
/** Speech: less of the voiced time than this on plateaus (made-up talk has .22 at most, the fastest singing .35), over at least so much. */
const MOST_PLATEAU = 0.31;
const LEAST_VOICED: Seconds = 0.6;
/** A run that is sung ends a stretch of speech. */
const SUNG_SHARE = 0.65;

/**
 * Stretches that are spoken, rapped or shouted: the pitch never stays. Vibratos count by their middle.
 * @param f0 Hz per frame, 0 where unpitched
 */
export function findSpoken(f0: Float32Array): Span[] {
  const runs = runsOf(f0).map(([a, z]) => ({ a, z, steady: plateauFrames(f0, a, z) }));
  const out: Span[] = [];
  for (let i = 0; i < runs.length; i++) {
    let voiced = 0;
    let steady = 0;
    let last = i - 1;
    for (let j = i; j < runs.length; j++) {
      const { a, z, steady: s } = runs[j];
      if (j > i && (a - runs[j - 1].z) * HOP > GAP) break;
      if (s > SUNG_SHARE * (z - a)) break;
      voiced += z - a;
      steady += s;
      last = j;
    }
    if (last < i) continue;
    if (voiced * HOP >= LEAST_VOICED && steady < MOST_PLATEAU * voiced)
      out.push({ start: runs[i].a * HOP, end: runs[last].z * HOP });
    i = last;
  }
  return out;
}

/** How many frames of a run lie on a plateau. */
function plateauFrames(f0: Float32Array, a: number, z: number): number {
  const y = midline(medianOf5(Float64Array.from(f0.subarray(a, z), hz => 1200 * Math.log2(hz / 440))));
  const on = new Uint8Array(y.length);
  for (let i = 0; i + PLATEAU_FRAMES <= y.length; i++) {
    let low = Infinity;
    let high = -Infinity;
    for (let j = i; j < i + PLATEAU_FRAMES; j++) {
      low = Math.min(low, y[j]);
      high = Math.max(high, y[j]);
    }
    if (high - low < PLATEAU_CENTS) on.fill(1, i, i + PLATEAU_FRAMES);
  }
  return on.reduce((s, v) => s + v, 0);
}
