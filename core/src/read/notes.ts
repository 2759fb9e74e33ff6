import { hzToCents, type Seconds } from '../units';
import { median } from '../signal/statistics';
import { steadyCentre } from './centre';
import { cutAtConsonants, cutAtSyllables, findConsonants } from './consonants';
import { medianOf5, midline } from './midline';
import { HOP, type SungSpan } from './reading';
import type { Bands } from './spectra';

/** Price of a note in squared cents, of a glide's frame, and bounds in frames of 5 ms. */
const NOTE_PRICE = 33000;
const GLIDE_PRICE = 1400;
const LONGEST_GLIDE = 16;
const LONGEST_FALL = 40;
/** A line that moves less within the shortest note has come to rest. */
const REST_CENTS = 40;
const SHORTEST_NOTE = 16;
/** How far a change of colour lowers a note's price, and less so where the level rises. */
const COLOUR_DISCOUNT = 0.6;
const RISING_SHARE = 0.4;
const COLOUR_BANDS = 13;
/** Gap in frames that does not end a voiced run. */
const HOLE = 3;
const DIP_DB = 4;
const KEEP_FRAMES = 24;

/**
 * Notes of a take: within each voiced run, dynamic programming over [glide][steady part] pieces, squared error about each steady
 * part's mean plus a price per note; a change of vowel colour makes a border cheaper. Then borders go to the consonants between them.
 * @param colour see colourChange @param sonority @param syllables see consonants.ts
 */
export function findNotes(
  f0: Float32Array,
  levelDb: Float32Array,
  colour: Float32Array,
  sonority: Float32Array,
  syllables: readonly Seconds[] = [],
): SungSpan[] {
  const frames = f0.length;
  const cents = Float64Array.from(f0, f => (f > 0 ? hzToCents(f) : 0));
  const notes: SungSpan[] = [];
  for (let s = 0; s < frames; s++) {
    if (!cents[s]) continue;
    let end = s;
    for (let k = s; k < frames; k++)
      if (cents[k]) end = k + 1;
      else if (k - end >= HOLE) break;
    if (end - s >= SHORTEST_NOTE) {
      const line = cents.slice(s, end);
      for (let i = 1; i < line.length; i++) if (!line[i]) line[i] = line[i - 1];
      notes.push(...notesOfRun(line, s, levelDb, colour));
    }
    s = end;
  }
  const joined = takeInScraps(joinPieces(notes, levelDb));
  const cut = cutAtConsonants(joined, findConsonants(f0, colour, sonority), f0, levelDb);
  return cutAtSyllables(cut, syllables, f0, levelDb);
}

/** Shorter than this, a piece at the edge of a sung run is no note but the scoop into one or the fall out of it. */
const SCRAP_SECONDS = 0.1;
const SCRAP_SEMITONES = 2;

/** A scrap that begins or ends a run belongs to the longer note it is joined to. */
function takeInScraps(notes: SungSpan[]): SungSpan[] {
  const joined = (a: SungSpan | undefined, b: SungSpan | undefined) => !!a && !!b && b.start - a.end < 0.001;
  const scrapOf = (a: SungSpan, b: SungSpan) =>
    a.end - a.start < SCRAP_SECONDS &&
    b.end - b.start > 1.5 * (a.end - a.start) &&
    Math.abs(a.pitch - b.pitch) < SCRAP_SEMITONES;
  const out: SungSpan[] = [];
  notes.forEach((n, i) => {
    const before = notes[i - 1];
    const after = notes[i + 1];
    if (!joined(before, n) && joined(n, after) && scrapOf(n, after)) after.start = n.start;
    else if (joined(before, n) && !joined(n, after) && out.length && scrapOf(n, out[out.length - 1]))
      out[out.length - 1].end = n.end;
    else out.push(n);
  });
  return out;
}

function notesOfRun(line: Float64Array, first: number, levelDb: Float32Array, colour: Float32Array): SungSpan[] {
  const n = line.length;
  const smooth = midline(medianOf5(line));
  const discount = colourDiscount(first, n, levelDb, colour);
  const S1 = new Float64Array(n + 1);
  const S2 = new Float64Array(n + 1);
  for (let i = 0; i < n; i++) {
    const v = smooth[i] - smooth[0];
    S1[i + 1] = S1[i] + v;
    S2[i + 1] = S2[i] + v * v;
  }
  // steadyEnd[i]: best cost with a steady part ended at i; glideEnd[i]: best with a note begun and its glide ended at i
  const steadyEnd = new Float64Array(n + 1).fill(Infinity);
  const steadyFrom = new Int32Array(n + 1);
  const glideEnd = new Float64Array(n + 1).fill(Infinity);
  const glideFrom = new Int32Array(n + 1);
  steadyEnd[0] = 0;
  for (let i = 0; i <= n; i++) {
    if (i & 1 && i !== n) continue; // borders on a 10 ms grid: a quarter of the work
    for (let a = 0; a <= i - SHORTEST_NOTE; a += 2) {
      if (glideEnd[a] === Infinity) continue;
      const u = S1[i] - S1[a];
      const cost = glideEnd[a] + S2[i] - S2[a] - (u * u) / (i - a);
      if (cost < steadyEnd[i]) {
        steadyEnd[i] = cost;
        steadyFrom[i] = a;
      }
    }
    if (i & 1) continue;
    for (let g = 0; g <= LONGEST_GLIDE && g <= i; g += 2) {
      const at = i - g;
      const price = at === 0 ? 0 : NOTE_PRICE * (1 - COLOUR_DISCOUNT * Math.min(1.5, discount[Math.min(n - 1, at)]));
      const cost = steadyEnd[at] + price + g * GLIDE_PRICE;
      if (cost < glideEnd[i]) {
        glideEnd[i] = cost;
        glideFrom[i] = at;
      }
    }
  }
  // the last frames may be a fall, unless they come to rest: that is another note
  let end = n;
  let best = steadyEnd[n];
  for (let g = 1; g <= LONGEST_FALL && n - g > 0; g++) {
    if (g >= SHORTEST_NOTE && rests(smooth, n - g, n - g + SHORTEST_NOTE)) break;
    const cost = steadyEnd[n - g] + g * GLIDE_PRICE;
    if (cost < best) {
      best = cost;
      end = n - g;
    }
  }
  if (best === Infinity) return [{ start: first * HOP, end: (first + n) * HOP, pitch: median(line) / 100 }];
  const notes: SungSpan[] = [];
  for (let until = n; end > 0;) {
    const steady = steadyFrom[end];
    const start = glideFrom[steady];
    notes.push({
      start: (first + start) * HOP,
      end: (first + until) * HOP,
      pitch: steadyCentre(smooth, steady, end, levelDb, first) / 100,
    });
    end = until = start;
  }
  return notes.reverse();
}

/** Whether a line keeps to one pitch over some frames. */
function rests(line: Float64Array, from: number, to: number): boolean {
  let [low, high] = [Infinity, -Infinity];
  for (let k = from; k < to; k++) {
    low = Math.min(low, line[k]);
    high = Math.max(high, line[k]);
  }
  return high - low < REST_CENTS;
}

/** How much the colour changes at each frame: mean difference of 13 log bands over 20 ms before and after, their level taken off, dB. */
export function colourChange(bands: Bands, frames: number): Float32Array {
  const logBands = new Float32Array(frames * COLOUR_BANDS);
  for (let k = 0; k < frames; k++)
    for (let q = 0; q < COLOUR_BANDS; q++)
      logBands[k * COLOUR_BANDS + q] = 10 * Math.log10(bands.power[k * bands.count + q] + 1e-9);
  // of each band, the sum over four frames from each on
  const sums = new Float32Array(logBands.length);
  for (let z = 0, end = (frames - 3) * COLOUR_BANDS; z < end; z++)
    sums[z] =
      logBands[z] + logBands[z + COLOUR_BANDS] + logBands[z + 2 * COLOUR_BANDS] + logBands[z + 3 * COLOUR_BANDS];
  const out = new Float32Array(frames);
  for (let k = 4; k < frames - 4; k++) {
    const before = (k - 4) * COLOUR_BANDS;
    const after = (k + 1) * COLOUR_BANDS;
    let level = 0;
    for (let b = 0; b < COLOUR_BANDS; b++) level += sums[before + b] - sums[after + b];
    level /= COLOUR_BANDS;
    let d = 0;
    for (let b = 0; b < COLOUR_BANDS; b++) d += Math.abs(sums[before + b] - sums[after + b] - level);
    out[k] = d / (4 * COLOUR_BANDS);
  }
  return out;
}

/** How much cheaper a border is at each frame of a run: local tops of the change of colour, less where the level rises. */
function colourDiscount(first: number, n: number, levelDb: Float32Array, colour: Float32Array): Float64Array {
  const change = new Float64Array(n);
  for (let i = 4; i < n - 4; i++) {
    const k = first + i;
    change[i] = colour[k] * (levelDb[k + 4] - levelDb[k - 4] > 2.5 ? RISING_SHARE : 1);
  }
  const out = new Float64Array(n);
  for (let i = 2; i < n - 2; i++) {
    if (change[i] <= 2 || change[i] < change[i - 1] || change[i] < change[i + 1]) continue;
    let top = true;
    for (let j = Math.max(0, i - 8); j < Math.min(n, i + 9) && top; j++) top = change[j] <= change[i];
    if (!top) continue;
    for (let j = Math.max(0, i - 3); j <= Math.min(n - 1, i + 3); j++)
      out[j] = Math.max(out[j], (Math.max(0, change[i] - 2.5) / 3) * (1 - Math.abs(i - j) * 0.1));
  }
  return out;
}

/** Neighbours on nearly one pitch are one note unless the level dips between them; so are scraps. */
function joinPieces(notes: SungSpan[], levelDb: Float32Array): SungSpan[] {
  const extreme = (from: number, to: number, pick: (...v: number[]) => number) =>
    pick(...levelDb.subarray(Math.max(0, from), Math.min(levelDb.length, to)));
  const out: SungSpan[] = [];
  for (const b of notes) {
    const a = out[out.length - 1];
    if (!a || b.start - a.end > 0.001 || Math.abs(a.pitch - b.pitch) >= 0.75) {
      out.push({ ...b });
      continue;
    }
    const k = Math.round(b.start / HOP);
    const lengthA = a.end - a.start;
    const lengthB = b.end - b.start;
    const dip = Math.min(extreme(k - 20, k, Math.max), extreme(k, k + 30, Math.max)) - extreme(k - 4, k + 16, Math.min);
    const same = Math.abs(a.pitch - b.pitch) < 0.6 && dip < DIP_DB;
    if (!same && Math.min(lengthA, lengthB) >= KEEP_FRAMES * HOP) {
      out.push({ ...b });
      continue;
    }
    a.pitch =
      lengthA > 3 * lengthB
        ? a.pitch
        : lengthB > 3 * lengthA
          ? b.pitch
          : (a.pitch * lengthA + b.pitch * lengthB) / (lengthA + lengthB);
    a.end = b.end;
  }
  return out;
}
