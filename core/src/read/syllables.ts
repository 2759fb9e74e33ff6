import type { Decibels, Seconds, Span } from '../units';
import { HOP, runsOf, type Reading } from './reading';

/** A syllable that is spoken: no pitch is told of it, but when it comes, how long it is and how loud. */
export interface SpokenSyllable extends Span {
  /** When its vowel begins. */
  onset: Seconds;
}

/** Smoothing of the level, frames (deviation of a Gaussian). */
const SMOOTH = 1;
/** Between two nuclei the voice sinks at least so far under the fainter of the two. */
const LEAST_DIP: Decibels = 2.5;
/** So far under the stretch's loudest nothing is a nucleus. */
const FAINTEST: Decibels = 25;
/** Nuclei lie at least so far apart, and a syllable lasts at least so long. */
const NEAREST: Seconds = 0.08;
const SHORTEST: Seconds = 0.04;
/** An onset is where the level has come so near its nucleus. */
const RISEN: Decibels = 9;

type Heard = Pick<Reading, 'spoken' | 'vowelsDb' | 'f0'>;
const known = new WeakMap<object, readonly SpokenSyllable[]>();

/**
 * The syllables of what is spoken, in order. A nucleus is a top of the level where the voice sounds with a dip before the next (de Jong
 * and Wempe 2009); the border between two in one run of voice is the lowest moment.
 * Cost: of each run of voice its length times its tops, which are few; found once a reading.
 */
export function spokenSyllables(reading: Heard): readonly SpokenSyllable[] {
  let found = known.get(reading);
  if (!found) known.set(reading, (found = reading.spoken.flatMap(s => syllablesIn(s, reading))));
  return found;
}

const lists = new WeakMap<object, readonly Span[]>();
/**
 * Everything of a take that edits are made for: its notes, and after them what is spoken. A list keeps its place among the notes, and
 * is the same object for the same reading.
 */
export function editableSpans(reading: Heard & Pick<Reading, 'notes'>): readonly Span[] {
  const spoken = spokenSyllables(reading);
  if (!spoken.length) return reading.notes;
  let list = lists.get(reading);
  if (!list) lists.set(reading, (list = [...reading.notes, ...spoken]));
  return list;
}

function syllablesIn(span: Span, { vowelsDb, f0 }: Heard): SpokenSyllable[] {
  const from = Math.max(0, Math.round(span.start / HOP));
  const to = Math.min(vowelsDb.length, Math.round(span.end / HOP));
  const level = smoothed(vowelsDb, from, to);
  const runs = runsOf(f0.subarray(from, to));
  const loudest = runs.reduce((top, [a, z]) => Math.max(top, ...level.subarray(a, z)), -Infinity);
  return runs.flatMap(([a, z]) => {
    const nuclei = apart(topsOf(level, a, z, loudest - FAINTEST), level);
    const borders = [a, ...nuclei.slice(1).map((k, i) => lowest(level, nuclei[i], k)), z];
    return nuclei.flatMap((k, i): SpokenSyllable[] => {
      const [start, end] = [borders[i], borders[i + 1]];
      if ((end - start) * HOP < SHORTEST) return [];
      let onset = k;
      while (onset > start && level[onset - 1] > level[k] - RISEN) onset--;
      return [{ start: (from + start) * HOP, onset: (from + onset) * HOP, end: (from + end) * HOP }];
    });
  });
}

/** Smoothed by a Gaussian. */
function smoothed(x: Float32Array, from: number, to: number): Float64Array {
  const reach = Math.ceil(3 * SMOOTH);
  return Float64Array.from({ length: Math.max(0, to - from) }, (_, k) => {
    let [sum, all] = [0, 0];
    for (let i = Math.max(0, from + k - reach); i <= Math.min(x.length - 1, from + k + reach); i++) {
      const w = Math.exp(-0.5 * ((i - from - k) / SMOOTH) ** 2);
      sum += w * x[i];
      all += w;
    }
    return sum / all;
  });
}

/** Tops of the level in [a, z), its edges among them. */
function topsOf(level: Float64Array, a: number, z: number, least: Decibels): number[] {
  const at = (k: number) => (k < a || k >= z ? -Infinity : level[k]);
  const out: number[] = [];
  for (let k = a; k < z; k++) if (level[k] >= least && level[k] >= at(k - 1) && level[k] > at(k + 1)) out.push(k);
  return out;
}

/** Of tops in one run of voice those that are nuclei: of the pair with least between its two the fainter goes, until all are apart. */
function apart(tops: readonly number[], level: Float64Array): number[] {
  const out = [...tops];
  for (;;) {
    let [least, at] = [1, -1];
    for (let i = 0; i + 1 < out.length; i++) {
      const [a, b] = [out[i], out[i + 1]];
      const dip = Math.min(level[a], level[b]) - level[lowest(level, a, b)];
      const enough = (b - a) * HOP < NEAREST ? 0 : dip / LEAST_DIP;
      if (enough < least) [least, at] = [enough, i];
    }
    if (at < 0) return out;
    out.splice(level[out[at]] >= level[out[at + 1]] ? at + 1 : at, 1);
  }
}

function lowest(level: Float64Array, a: number, b: number): number {
  let low = a;
  for (let k = a; k <= b; k++) if (level[k] < level[low]) low = k;
  return low;
}
