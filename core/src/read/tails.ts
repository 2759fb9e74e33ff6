import { hzToCents } from '../units';
import { median, quantile } from '../signal/statistics';
import { HOP } from './reading';
import type { Bands } from './spectra';

/** The band a room's tail is followed in, Hz: above it consonants sound over the tail. */
const HIGH_HZ = 800;
/** It holds the fundamental of high notes too: so many times what is sung highest. */
const ABOVE = 2.2;
const SMOOTH = 3;
/** A straight fall: over so many frames, within so many dB of a line, by so many dB a second. A voice that stops falls by 200 and more. */
const WINDOW = 24;
const STRAIGHT_DB = 1.5;
const SLOWEST = 20;
const FASTEST = 130;
/** It lies so far under what was heard in the frames before it, and not in the take's noise. */
const BEFORE = 60;
const UNDER_DB = 8;
const LEAST_LOUD_DB = 25;
const NOISE_DB = 60;
/** In a dry take a thousandth or two of all frames fall like that. */
const ROOM_SHARE = 0.005;
const LEAST_DROP_DB = 10;
/** How far over the tail's line a frame may lie and still be of it, dB, for how many frames, on the pitch before within so many cents. */
const LOOSE_DB = 3;
const SHORTEST = 10;
/** The whole of it lies at least so far under the voice before it. */
const LEAST_UNDER_DB = 6;
const SAME_CENTS = 70;

/**
 * A room's tail after a note is as periodic as the note. Where much of a take falls straight and slowly, the room's decay and how far its
 * tail lies under the voice are measured there, and frames at which only that tail is heard are unvoiced (the exponential decay of
 * Lebart, Boucher and Denbigh 2001). Changes f0 in place.
 */
export function dropTails(f0: Float32Array, bands: Bands, levelDb: Float32Array): void {
  const level = lowLevel(bands, f0.length, Math.max(HIGH_HZ, ABOVE * highestPitch(f0)));
  const room = roomOf(level);
  if (!room) return;
  let tail = -Infinity;
  // all of the voice, dying away as the room would let it: a dull note has little in the band, and is no tail for it
  let voice = -Infinity;
  let first = -1;
  for (let k = 0; k <= f0.length; k++) {
    tail -= room.decay * HOP;
    voice -= room.decay * HOP;
    const dying =
      k < f0.length &&
      f0[k] > 0 &&
      level[k] < tail + LOOSE_DB &&
      levelDb[k] < voice - LEAST_UNDER_DB &&
      (first < 0 || sameAs(f0[Math.max(0, first - 6)], f0[k]));
    if (dying && first < 0) first = k;
    if (!dying && first >= 0) {
      if (k - first >= SHORTEST) f0.fill(0, first, k);
      first = -1;
    }
    if (k === f0.length) break;
    tail = Math.max(tail, level[k] - room.drop);
    voice = Math.max(voice, levelDb[k]);
  }
}

const sameAs = (a: number, b: number): boolean => !(a > 0) || Math.abs(hzToCents(a) - hzToCents(b)) < SAME_CENTS;

/** How fast the room dies away, dB a second, and how far its tail lies under the voice, dB; null in a dry take. */
function roomOf(level: Float32Array): { decay: number; drop: number } | null {
  const decays: number[] = [];
  const drops: number[] = [];
  let top = -Infinity;
  for (const v of level) top = Math.max(top, v);
  for (let k = BEFORE; k + WINDOW < level.length; k++) {
    if (level[k + WINDOW] > level[k] || level[k + WINDOW] < top - NOISE_DB) continue;
    let loudest = k - BEFORE;
    for (let j = loudest + 1; j < k; j++) if (level[j] >= level[loudest]) loudest = j;
    if (level[loudest] < top - LEAST_LOUD_DB || level[k] > level[loudest] - UNDER_DB) continue;
    const { slope, at, off } = lineThrough(level, k);
    const decay = -slope / HOP;
    if (decay < SLOWEST || decay > FASTEST || off > STRAIGHT_DB) continue;
    decays.push(decay);
    drops.push(level[loudest] - at - decay * (k - loudest) * HOP);
  }
  if (decays.length < ROOM_SHARE * level.length) return null;
  return { decay: median(decays), drop: Math.max(LEAST_DROP_DB, median(drops)) };
}

/** The straight line through a window of levels: dB a frame, its value at the window's start, and how far off the levels are, rms. */
function lineThrough(level: Float32Array, from: number): { slope: number; at: number; off: number } {
  const n = WINDOW + 1;
  let sum = 0;
  let moment = 0;
  for (let i = 0; i < n; i++) {
    sum += level[from + i];
    moment += i * level[from + i];
  }
  const slope = (12 * moment - 6 * (n - 1) * sum) / (n * (n * n - 1));
  const at = sum / n - (slope * (n - 1)) / 2;
  let square = 0;
  for (let i = 0; i < n; i++) square += (level[from + i] - at - slope * i) ** 2;
  return { slope, at, off: Math.sqrt(square / n) };
}

/** What is sung highest, but for a tenth, Hz. */
function highestPitch(f0: Float32Array): number {
  const sung = f0.filter(f => f > 0);
  return sung.length ? quantile(sung, 0.9) : 0;
}

/** Level of the low band each frame over 35 ms, dB. */
function lowLevel(bands: Bands, frames: number, below: number): Float32Array {
  const power = new Float32Array(frames);
  for (let q = 0; q < bands.count && bands.edgesHz[q] < below; q++)
    for (let k = 0; k < frames; k++) power[k] += bands.power[k * bands.count + q];
  return power.map((_, k) => {
    let sum = 0;
    let count = 0;
    for (let j = Math.max(0, k - SMOOTH); j <= Math.min(frames - 1, k + SMOOTH); j++, count++) sum += power[j];
    return 10 * Math.log10(sum / count + 1e-12);
  });
}
