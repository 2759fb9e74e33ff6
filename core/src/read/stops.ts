import type { Span } from '../units';
import { HOP } from './reading';
import { median } from '../signal/statistics';
import { levelBetween, type Bands } from './spectra';

/**
 * Bursts of p, t and k: after a closure, in which hardly anything is heard, all of the spectrum over the lowest formant jumps at once, and
 * a voice follows, at once or after its breath. A vowel that is set in hard jumps too, but with the vowel's own colour; a burst is
 * brighter.
 */

/** The lowest formant and the murmur of a closed voice, Hz; a burst is told by what lies over it. */
const LOW_HZ = 150;
const OVER_HZ = 590;
const BRIGHT_HZ = 2000;
/** The closure: frames before the burst, but for the nearest, into which its own window reaches. */
const CLOSED_FROM = 7;
const CLOSED_TO = 2;
/** How far the burst jumps within two frames, and how far the closure lies under the voice that follows, dB. */
const JUMP_DB = 18;
const CLOSED_DB = 22;
const HUSHED_DB = 16;
/** It lies at most so far under that voice, and what comes after it, up to the voice, is hardly louder, dB. */
const WEAK_DB = 24;
const GROWS_DB = 1;
/** It is so much brighter than the voice after it, dB. */
const RISEN_DB = 12;
const BRIGHTER_DB = 7;
/** After a rest of so many frames a voice may begin with a little breath: a burst is brighter than that. */
const REST = 40;
const BRIGHTER_AFTER_REST_DB = 14;
/** The voice follows within so many frames, and goes on for so many; its colour is that of some frames once it has begun. */
const FOLLOWS = 26;
const GOES_ON = 8;
const VOWEL = [5, 12];
/** Between burst and voice it stays so far over the closure, dB: a click in a rest begins nothing. */
const BREATHES_DB = 4;
/** It is heard up to the voice, but so many frames at least and at most. */
const SHORTEST = 3;
const LONGEST = 12;
const APART = 8;

/** Levels each frame, dB: of the lowest formant, of all that lies over it, and of what is bright. */
interface Levels {
  low: Float32Array;
  over: Float32Array;
  bright: Float32Array;
}

/** @param f0 Hz a frame @returns in order, each from its burst to the voice */
export function stopBursts(f0: Float32Array, bands: Bands): Span[] {
  const frames = f0.length;
  const levels: Levels = {
    low: levelBetween(bands, frames, LOW_HZ, OVER_HZ),
    over: levelBetween(bands, frames, OVER_HZ, 13000),
    bright: levelBetween(bands, frames, BRIGHT_HZ, 13000),
  };
  const out: Span[] = [];
  for (let k = CLOSED_FROM; k < frames - VOWEL[1]; k++) {
    const closed = most(levels.over, k - CLOSED_FROM, k - CLOSED_TO);
    if (!jumps(levels.over, k, closed)) continue;
    const voice = voiceAfter(f0, k);
    if (voice === null || voice + VOWEL[1] >= frames || !opens(levels, k, closed, voice)) continue;
    const rested = !f0.subarray(Math.max(0, k - REST), k).some(f => f > 0);
    if (!brighter(levels, k, closed, voice, rested ? BRIGHTER_AFTER_REST_DB : BRIGHTER_DB)) continue;
    const end = Math.max(k + SHORTEST, Math.min(voice, k + LONGEST));
    out.push({ start: (k - 0.5) * HOP, end: (end - 0.5) * HOP });
    k += APART;
  }
  return out;
}

/** Whether the sound rises at once from a closure's level, at this frame for the first time. */
const jumps = (over: Float32Array, k: number, closed: number): boolean =>
  over[k] >= closed + JUMP_DB / 2 && over[k - 1] <= closed + JUMP_DB / 2 && most(over, k, k + 2) >= closed + JUMP_DB;

/** Whether what lay before was closed, seen from the voice, and the jump is loudest at first and goes over into it. */
function opens({ low, over }: Levels, k: number, closed: number, voice: number): boolean {
  const loud = Math.max(most(over, voice, voice + VOWEL[1]), most(low, voice, voice + VOWEL[1]));
  if (closed > loud - CLOSED_DB || most(low, k - CLOSED_FROM, k - CLOSED_TO) > loud - HUSHED_DB) return false;
  const burst = most(over, k, k + 3);
  // a fricative goes on growing
  if (burst < loud - WEAK_DB || most(over, k + 3, voice) > burst + GROWS_DB) return false;
  for (let j = k + 1; j < voice; j++) if (Math.max(over[j], low[j]) <= closed + BREATHES_DB) return false;
  return true;
}

/** Whether it is brighter than the voice, where it has risen: before, its window holds little of it. */
function brighter({ low, over, bright }: Levels, k: number, closed: number, voice: number, least: number): boolean {
  const colour = (j: number) => bright[j] - low[j];
  const vowel = median(Array.from({ length: VOWEL[1] - VOWEL[0] }, (_, i) => colour(voice + VOWEL[0] + i)));
  return [k, k + 1, k + 2].some(j => over[j] > closed + RISEN_DB && colour(j) > vowel + least);
}

/** The first frame of a voice that goes on from a frame or soon after it; null without one. */
function voiceAfter(f0: Float32Array, k: number): number | null {
  for (let v = k; v <= k + FOLLOWS && v + GOES_ON < f0.length; v++)
    if (f0[v] > 0 && f0.subarray(v, v + GOES_ON).every(f => f > 0)) return v;
  return null;
}

function most(x: Float32Array, from: number, to: number): number {
  let top = -Infinity;
  for (let k = from; k < to; k++) top = Math.max(top, x[k]);
  return top;
}
