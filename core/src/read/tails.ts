import { hzToCents } from '../units';
import { quantile } from '../signal/statistics';
import { HOP } from './reading';
import type { Bands } from './spectra';

/** The band a room's decay is measured in, Hz: above it consonants sound over the tail. */
const HIGH_HZ = 800;
/** It holds the fundamental of high notes too: so many times what is sung highest. */
const ABOVE = 2.2;
const SMOOTH = 3;
/** Steep falls are those of so many; from how far under the loudest, dB; told at 80 and 240 ms, where a room's tail is alone. */
const STEEP = 0.99;
const FROM_DB = 20;
const NEAR = 16;
const FAR = 48;
/** Nowhere in a room does a voice fall faster than its tail: in a dry take some falls are twice as deep. */
const ROOM_DROP_DB = 17;
const LEAST_DROP_DB = 3;
const SLOWEST = 20;
const FASTEST = 200;
/** A straight fall: over so many frames, within so many dB of a line, by so many dB a second. A voice that stops falls by 200 and more. */
const WINDOW = 24;
const STRAIGHT_DB = 1.5;
const STRAIGHT_FASTEST = 130;
/** It lies so far under what was heard in the frames before it, and not in the take's noise. */
const BEFORE = 60;
const UNDER_DB = 8;
const NOISE_DB = 60;
/** In a dry take a thousandth or two of all frames fall like that. */
const ROOM_SHARE = 0.005;
/** The voice before a tail: the loudest while the tail falls by so much, within so many frames. */
const RECENT_DB = 20;
const RECENT = [20, 100];
/**
 * A tail lies so far under the voice before it, its level over the expected tail's counted by half, for so many frames on one pitch; it
 * begins where the level has come down most of the way, so many frames earlier at most. In a softer room it lies further under.
 */
const ROOM_DB = 14;
const LOUD_ROOM_DB = 8;
const SHORTEST = 5;
const SAME_CENTS = 70;
const FALLEN = 0.8;
const BACK = 3;
/** The bands compared with the tail, over how many frames to each side, and how far from it they count, dB. */
const BANDS = 8;
const BAND_SMOOTH = 4;
const OVER_DB = 25;
const BELOW_DB = -15;

interface Room {
  /** dB a second. */
  decay: number;
  /** How far its sound lies under all of a held voice, dB. */
  drop: number;
  /** How far under the voice a tail lies in it, dB. */
  under: number;
}
/** Where no room is heard: a stop's closure sounds on for a moment. */
const DRY: Room = { decay: 150, drop: 20, under: 23 };

/**
 * A room's tail after a note is as periodic as the note. Where no fall of a take is steeper than a room allows, the room's decay and how
 * far its sound lies under the voice are told from the steepest falls; its late sound follows from what was heard before, band by band
 * (Lebart, Boucher and Denbigh 2001), and frames that lie as far under the voice and as near to that sound as a tail are unvoiced.
 * Changes f0 in place.
 */
export function dropTails(f0: Float32Array, bands: Bands, levelDb: Float32Array): void {
  const level = lowLevel(bands, f0.length, Math.max(HIGH_HZ, ABOVE * highestPitch(f0)));
  const room = roomOf(level) ?? DRY;
  const under = underVoice(levelDb.subarray(0, f0.length), room);
  const over = overTail(bands, f0.length, room);
  const dying = (k: number) => f0[k] > 0 && under[k] + over[k] / 2 < -room.under;
  for (let k = 0; k < f0.length; k++) {
    if (!dying(k)) continue;
    let first = k;
    const before = f0[Math.max(0, first - 6)];
    while (k < f0.length && dying(k) && sameAs(before, f0[k])) k++;
    if (k - first < SHORTEST) continue;
    // what is told over some frames is found late: the fall itself is looked at
    const fallen = levelDb[first] - under[first] - FALLEN * room.under;
    for (let j = 0; j < BACK && first > 0 && f0[first - 1] > 0 && levelDb[first - 1] < fallen; j++) first--;
    f0.fill(0, first, k);
  }
}

const sameAs = (a: number, b: number): boolean => !(a > 0) || Math.abs(hzToCents(a) - hzToCents(b)) < SAME_CENTS;

/** The room a take was sung in, as its steepest falls tell it; null in a dry take. */
function roomOf(level: Float32Array): Room | null {
  let top = -Infinity;
  for (const v of level) top = Math.max(top, v);
  const steepest = (lag: number): number => {
    const falls: number[] = [];
    for (let k = 0; k + lag < level.length; k++) if (level[k] > top - FROM_DB) falls.push(level[k] - level[k + lag]);
    return falls.length ? quantile(falls, STEEP) : 0;
  };
  const near = steepest(NEAR);
  const decay = (steepest(FAR) - near) / (FAR - NEAR) / HOP;
  const drop = near - decay * NEAR * HOP;
  if (drop > ROOM_DROP_DB || decay < SLOWEST || decay > FASTEST || !fallsStraight(level, top)) return null;
  return { decay, drop: Math.max(LEAST_DROP_DB, drop), under: ROOM_DB + Math.max(0, drop - LOUD_ROOM_DB) };
}

/** Whether enough of the take falls straight and slowly, as a tail does and a voice that fades hardly ever. */
function fallsStraight(level: Float32Array, top: number): boolean {
  let straight = 0;
  for (let k = BEFORE; k + WINDOW < level.length; k++) {
    if (level[k + WINDOW] > level[k] || level[k + WINDOW] < top - NOISE_DB) continue;
    let loudest = -Infinity;
    for (let j = k - BEFORE; j < k; j++) loudest = Math.max(loudest, level[j]);
    if (level[k] > loudest - UNDER_DB) continue;
    const { slope, off } = lineThrough(level, k);
    const decay = -slope / HOP;
    if (decay >= SLOWEST && decay <= STRAIGHT_FASTEST && off <= STRAIGHT_DB) straight++;
  }
  return straight >= ROOM_SHARE * level.length;
}

/** The straight line through a window of levels: dB a frame, and how far off the levels are, rms. */
function lineThrough(level: Float32Array, from: number): { slope: number; off: number } {
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
  return { slope, off: Math.sqrt(square / n) };
}

/** How far each frame lies under the loudest just before it, dB, nought or less. */
function underVoice(levelDb: Float32Array, room: Room): Float32Array {
  const smooth = evened(levelDb, 2);
  const recent = Math.round(Math.min(RECENT[1], Math.max(RECENT[0], RECENT_DB / room.decay / HOP)));
  return smooth.map((v, k) => {
    let loudest = v;
    for (let j = Math.max(0, k - recent); j < k; j++) loudest = Math.max(loudest, smooth[j]);
    return v - loudest;
  });
}

/** How far the low bands lie over the room's sound as it follows from what was heard before, their mean, dB. */
function overTail(bands: Bands, frames: number, room: Room): Float32Array {
  const keep = 10 ** ((-room.decay * HOP) / 10);
  const share = 10 ** (-room.drop / 10);
  const gain = (1 - keep) * Math.min(9, share / (1 - share));
  const over = new Float32Array(frames);
  const band = new Float32Array(frames);
  const count = Math.min(BANDS, bands.count);
  for (let q = 0; q < count; q++) {
    for (let k = 0; k < frames; k++) band[k] = bands.power[k * bands.count + q];
    const power = evened(band, 2);
    let tail = 0;
    for (let k = 0; k < frames; k++) {
      over[k] += (10 * Math.log10((power[k] + 1e-12) / (tail + 1e-12))) / count;
      tail = keep * tail + gain * Math.max(0, power[k] - tail);
    }
  }
  return evened(over, BAND_SMOOTH).map(v => Math.max(BELOW_DB, Math.min(OVER_DB, v)));
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
  return evened(power, SMOOTH).map(v => 10 * Math.log10(v + 1e-12));
}

/** The mean over so many frames to each side. */
function evened(x: Float32Array, each: number): Float32Array {
  const out = new Float32Array(x.length);
  for (let k = 0; k < x.length; k++) {
    const from = Math.max(0, k - each);
    const to = Math.min(x.length, k + each + 1);
    let sum = 0;
    for (let j = from; j < to; j++) sum += x[j];
    out[k] = sum / (to - from);
  }
  return out;
}
