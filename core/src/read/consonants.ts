import type { Seconds } from '../units';
import { centreOf } from './centre';
import { HOP, type SungSpan } from './reading';
import { levelBetween, type Bands } from './spectra';

/** A voiced consonant between two vowels of a held voice: l, m, n, r, w, v and their like. */
export interface Consonant {
  start: Seconds;
  end: Seconds;
  /** How far the vowels' band sinks in it, dB. */
  depthDb: number;
}

/** The band of the second and third formants, weak in sonorant consonants. */
const LOW_HZ = 990;
const HIGH_HZ = 3500;
/** A change of colour that counts, dB a band. */
const LEAST_COLOUR = 3;
/** In frames: how far a top stands out, and the shortest and longest consonant. */
const TOP_REACH = 4;
const SHORTEST = 9;
const LONGEST = 22;
/** How far before and after it its vowels are looked at, frames. */
const VOWEL = 16;
const LEAST_DEPTH_DB = 10;
/** It begins where the vowels' band has sunk to this share of the way down, at most so many frames before the change of colour. */
const SUNK_SHARE = 0.7;
const SUNK_REACH = 14;

/** Loudness of the vowels' band each frame, dB, smoothed over 25 ms. */
export function sonorityOf(bands: Bands, frames: number): Float32Array {
  const raw = levelBetween(bands, frames, LOW_HZ, HIGH_HZ, 1e-9);
  return raw.map((_, k) => {
    let sum = 0;
    let count = 0;
    for (let j = Math.max(0, k - 2); j <= Math.min(frames - 1, k + 2); j++, count++) sum += raw[j];
    return sum / count;
  });
}

/** Sung frames at which the colour changes most, over so many frames to either side. */
function topsOf(f0: Float32Array, colour: Float32Array, reach: number): number[] {
  const tops: number[] = [];
  for (let k = 1; k + 1 < colour.length; k++) {
    if (!(f0[k] > 0) || colour[k] < LEAST_COLOUR) continue;
    let top = true;
    for (let j = Math.max(0, k - reach); j <= Math.min(colour.length - 1, k + reach) && top; j++)
      top = colour[j] < colour[k] || j === k || (colour[j] === colour[k] && j > k);
    if (top) tops.push(k);
  }
  return tops;
}

/** Pairs of changes of colour with a dip of the vowels' band between them, inside voiced runs. */
export function findConsonants(f0: Float32Array, colour: Float32Array, son: Float32Array): Consonant[] {
  const tops = topsOf(f0, colour, TOP_REACH);
  const out: Consonant[] = [];
  for (let i = 0; i + 1 < tops.length; i++) {
    let best: Consonant | null = null;
    for (let j = i + 1; j < tops.length && tops[j] - tops[i] <= LONGEST; j++) {
      const [a, z] = [tops[i], tops[j]];
      if (z - a < SHORTEST || !voiced(f0, a, z)) continue;
      const before = highest(son, f0, a - VOWEL, a);
      const after = highest(son, f0, z, z + VOWEL);
      let low = Infinity;
      let inside = -Infinity;
      for (let k = a; k <= z; k++) {
        low = Math.min(low, son[k]);
        inside = Math.max(inside, son[k]);
      }
      const depthDb = Math.min(before, after) - low;
      // a vowel between two consonants is no consonant
      if (depthDb < LEAST_DEPTH_DB || inside > Math.min(before, after) + 1) continue;
      let from = a;
      while (from > a - SUNK_REACH && f0[from - 1] > 0 && son[from - 1] < low + SUNK_SHARE * depthDb) from--;
      if (!best || depthDb > best.depthDb) best = { start: from * HOP, end: z * HOP, depthDb };
    }
    if (!best) continue;
    const last = out[out.length - 1];
    if (last && best.start < last.end - 1e-9) {
      if (best.depthDb > last.depthDb) out[out.length - 1] = best;
    } else out.push(best);
  }
  return out;
}

function voiced(f0: Float32Array, a: number, z: number): boolean {
  let gaps = 0;
  for (let k = a; k <= z; k++) if (!(f0[k] > 0)) gaps++;
  return gaps <= 2;
}

function highest(son: Float32Array, f0: Float32Array, from: number, to: number): number {
  let best = -Infinity;
  for (let k = Math.max(0, from); k <= Math.min(son.length - 1, to); k++) if (f0[k] > 0) best = Math.max(best, son[k]);
  return best;
}

/** A border this near a consonant is at it. */
const NEAR: Seconds = 0.09;
/** A border lies at most this far into its consonant: one that long is the next syllable's. */
const FURTHEST_IN: Seconds = 0.06;
/** So deep a dip begins a new note even on the same pitch; both notes are then at least so long. */
const CUT_DEPTH_DB = 13;
const LEAST_PART: Seconds = 0.13;

/**
 * Borders of notes by the consonants between them. A border near a short consonant goes to its middle: whether it ends the
 * syllable before or begins the next cannot be heard, and nobody would cut elsewhere. A long one begins the next syllable, as people
 * sing. A clear consonant inside a note begins another.
 */
export function cutAtConsonants(
  notes: SungSpan[],
  consonants: readonly Consonant[],
  f0: Float32Array,
  levelDb: Float32Array,
): SungSpan[] {
  const out = notes.map(n => ({ ...n }));
  const touched = new Set<SungSpan>();
  for (const c of consonants) {
    const border = Math.min((c.start + c.end) / 2, c.start + FURTHEST_IN);
    let nearest = -1;
    for (let i = 1; i < out.length; i++) {
      const at = out[i].start;
      if (at - out[i - 1].end > 0.012 || at < c.start - NEAR || at > c.end + NEAR) continue;
      if (nearest < 0 || Math.abs(at - border) < Math.abs(out[nearest].start - border)) nearest = i;
    }
    if (nearest >= 0) {
      const [a, b] = [out[nearest - 1], out[nearest]];
      if (border - a.start > LEAST_PART / 2 && b.end - border > LEAST_PART / 2) a.end = b.start = border;
      continue;
    }
    const i = out.findIndex(n => border > n.start + LEAST_PART && border < n.end - LEAST_PART);
    if (i < 0 || c.depthDb < CUT_DEPTH_DB) continue;
    const second = { ...out[i], start: border };
    out[i].end = border;
    touched.add(out[i]).add(second);
    out.splice(i + 1, 0, second);
  }
  for (const n of touched) n.pitch = centreOf(f0, levelDb, n);
  return out;
}

/** Bands a vowel's colour is told by, the lowest first. */
const COLOUR_BANDS = 13;
/** The colour before and after is taken over these frames to either side. */
const COLOUR_NEAR = 5;
const COLOUR_FAR = 20;
/** Tops of the change of colour stand out over so many frames. */
const CHANGE_REACH = 8;
/** So different are two vowels, dB a band; a syllable that begins does not get softer by more than this. */
const OTHER_VOWEL_DB = 6.3;
/** On one pitch: not further apart than this, octaves. */
const SAME_OCTAVES = 0.05;
const SOFTER_DB = 1.5;
/** A consonant that opens into its vowel begins this long before, s. */
const OPENS_IN: Seconds = 0.11;
const OPENS_LEAST: Seconds = 0.03;

/**
 * Moments inside a held voice at which another syllable begins though pitch and loudness go on: the colour changes at once, to a vowel
 * that is another one, and the voice opens. Where it closes, the syllable's own last consonant follows.
 */
export function findSyllables(f0: Float32Array, colour: Float32Array, bands: Bands): Seconds[] {
  const tops = topsOf(f0, colour, CHANGE_REACH);
  const out: Seconds[] = [];
  tops.forEach((k, i) => {
    const before = meanColour(f0, bands, k - COLOUR_FAR, k - COLOUR_NEAR);
    const after = meanColour(f0, bands, k + COLOUR_NEAR, k + COLOUR_FAR);
    const louder = after.level - before.level;
    let other = 0;
    for (let q = 0; q < COLOUR_BANDS; q++) other += Math.abs(after.db[q] - before.db[q] - louder) / COLOUR_BANDS;
    if (other < OTHER_VOWEL_DB || louder < -SOFTER_DB || Math.abs(after.pitch - before.pitch) > SAME_OCTAVES) return;
    const closed = tops[i - 1];
    const length = (k - closed) * HOP;
    const at = length >= OPENS_LEAST && length <= OPENS_IN ? ((k + closed) / 2) * HOP : k * HOP;
    if (!out.length || at - out[out.length - 1] > OPENS_IN) out.push(at);
  });
  return out;
}

/** Mean of the log bands over the sung frames of a span, the mean of all of them, dB, and the mean pitch, log2 of Hz. */
function meanColour(
  f0: Float32Array,
  bands: Bands,
  from: number,
  to: number,
): { db: Float64Array; level: number; pitch: number } {
  const db = new Float64Array(COLOUR_BANDS);
  let count = 0;
  let pitch = 0;
  for (let k = Math.max(0, from); k < Math.min(f0.length, to); k++) {
    if (!(f0[k] > 0)) continue;
    count++;
    pitch += Math.log2(f0[k]);
    for (let q = 0; q < COLOUR_BANDS; q++) db[q] += 10 * Math.log10(bands.power[k * bands.count + q] + 1e-9);
  }
  let level = 0;
  for (let q = 0; q < COLOUR_BANDS; q++) {
    db[q] /= Math.max(1, count);
    level += db[q] / COLOUR_BANDS;
  }
  return { db, level, pitch: pitch / Math.max(1, count) };
}

/** Cuts notes where another syllable begins inside them. */
export function cutAtSyllables(
  notes: readonly SungSpan[],
  syllables: readonly Seconds[],
  f0: Float32Array,
  levelDb: Float32Array,
): SungSpan[] {
  return notes.flatMap(n => {
    const cuts = syllables.filter(t => t > n.start + LEAST_PART && t < n.end - LEAST_PART);
    if (!cuts.length) return [n];
    const edges = [n.start, ...cuts, n.end];
    return edges.slice(1).map((end, i) => {
      const part = { start: edges[i], end };
      return { ...part, pitch: centreOf(f0, levelDb, part) };
    });
  });
}
