import { median, quantile } from '../signal/statistics';
import type { Hertz, Midi, Seconds, Span } from '../units';
import { evidenceOf, HOP, levelLine, pitchOf, PER_SEMITONE, QUICK_HOP, type Evidence } from './evidence';

/** The notes of a recorded chord, and whose they are. */

export interface UnpickedNote extends Span<Seconds> {
  midi: Midi;
  /** How strong its evidence is beside the strongest, 0..1. */
  strength: number;
  /** Which line it belongs to, the highest is 0. */
  line: number;
}

export interface UnpickOptions {
  /** How many sing, at most; absent: as many as are heard. */
  voices?: number;
  /** Compasses: nothing outside of all of them is a voice's. */
  low?: Midi;
  high?: Midi;
}

const SMOOTH: Seconds = 0.1;
/** A note begins over the first of these, of what is usual for a loud one, and ends under the second. */
const THRESHOLDS = { on: 0.34, off: 0.17 };
const GAP: Seconds = 0.1;
const SHORTEST: Seconds = 0.24;
/** A dip as deep as this parts two notes of one pitch, dB. */
const DIP_DB = 4.5;
const DIP_REACH: Seconds = 0.25;
/** Of two notes a semitone apart at one time the weaker is the stronger one's swing. */
const NEIGHBOUR = 1;

/** @returns null when it was stopped */
export function unpick(
  x: Float32Array,
  sampleRate: Hertz,
  options: UnpickOptions = {},
  progress?: (share: number) => boolean,
): UnpickedNote[] | null {
  const evidence = evidenceOf(x, sampleRate, progress);
  return evidence && unpickedNotes(evidence, options);
}

/** Notes from evidence: found again at once when it is said who sings. */
export function unpickedNotes(evidence: Evidence, options: UnpickOptions = {}): UnpickedNote[] {
  const rows = bySemitone(evidence, smoothed(evidence), options);
  const notes = withoutNeighbours(candidates(rows)).flatMap(n =>
    timed(evidence, { ...n, midi: finePitch(evidence, n) }),
  );
  const voices = options.voices ?? voicesIn(notes);
  return inLines(strongest(notes, voices), voices);
}

/** A note that is found: its column of the evidence, frames, and how strong it is. */
interface Found {
  column: number;
  from: number;
  to: number;
  strength: number;
  midi: Midi;
}

/** Medians over a tenth of a second either way, before anything is decided. */
function smoothed({ strength, frames, pitches }: Evidence): Float32Array {
  const reach = Math.round(SMOOTH / HOP);
  const out = new Float32Array(strength.length);
  const around = new Float32Array(2 * reach + 1);
  for (let p = 0; p < pitches; p++)
    for (let k = 0; k < frames; k++) {
      const [from, to] = [Math.max(0, k - reach), Math.min(frames - 1, k + reach)];
      const n = to - from + 1;
      for (let i = 0; i < n; i++) around[i] = strength[(from + i) * pitches + p];
      out[k * pitches + p] = around.subarray(0, n).sort()[n >> 1];
    }
  return out;
}

/** How strong each semitone is in each frame, 1 for a loud note. */
interface Semitones {
  frames: number;
  /** Columns of the evidence they lie on. */
  columns: number[];
  rows: Float32Array[];
}

/** Semitones on the tuning that most of the evidence lies on. */
function bySemitone(
  { frames, pitches }: Evidence,
  smooth: Float32Array,
  { low = 0, high = 127 }: UnpickOptions,
): Semitones {
  const sums = new Array<number>(PER_SEMITONE).fill(0);
  for (let i = 0; i < smooth.length; i++) sums[(i % pitches) % PER_SEMITONE] += smooth[i] ** 2;
  const columns: number[] = [];
  for (let c = sums.indexOf(Math.max(...sums)); c < pitches; c += PER_SEMITONE)
    if (pitchOf(c) > low - 0.6 && pitchOf(c) < high + 0.6) columns.push(c);
  const rows = columns.map(c => {
    const row = new Float32Array(frames);
    for (let k = 0; k < frames; k++)
      for (let d = -1; d <= 1; d++) row[k] += c + d >= 0 && c + d < pitches ? smooth[k * pitches + c + d] : 0;
    return row;
  });
  // what a loud note is: the strongest of each frame that sounds, as it usually is
  const most = Array.from({ length: frames }, (_, k) => rows.reduce((m, r) => Math.max(m, r[k]), 0)).filter(v => v > 0);
  const usual = most.length ? quantile(most, 0.75) : 1;
  for (const row of rows) for (let k = 0; k < frames; k++) row[k] /= usual;
  return { frames, columns, rows };
}

/** Stretches in which a semitone is strong, cut where it dips. */
function candidates({ columns, rows, frames }: Semitones): Omit<Found, 'midi'>[] {
  const out: Omit<Found, 'midi'>[] = [];
  const [gap, shortest] = [GAP, SHORTEST].map(t => Math.round(t / HOP));
  rows.forEach((row, s) => {
    let from = -1;
    let last = -1;
    let strong = false;
    const close = () => {
      if (strong && last + 1 - from >= shortest)
        for (const [a, b] of parted(row, from, last + 1))
          if (b - a >= shortest) out.push({ column: columns[s], from: a, to: b, strength: meanOf(row, a, b) });
      from = -1;
      strong = false;
    };
    for (let k = 0; k < frames; k++) {
      if (row[k] >= THRESHOLDS.off) {
        if (from < 0) from = k;
        last = k;
        strong ||= row[k] >= THRESHOLDS.on;
      } else if (from >= 0 && k - last > gap) close();
    }
    if (from >= 0) close();
  });
  return out;
}

const meanOf = (row: Float32Array, from: number, to: number): number =>
  row.subarray(from, to).reduce((s, v) => s + v, 0) / (to - from);

/** Cut where it dips deeply between two swells. */
function parted(row: Float32Array, from: number, to: number): [number, number][] {
  const reach = Math.round(DIP_REACH / HOP);
  const deep = 10 ** (-DIP_DB / 20);
  for (let k = from + 6; k < to - 6; k++) {
    if (row[k] > row[k - 1] || row[k] > row[k + 1]) continue;
    const before = row.subarray(Math.max(from, k - reach), k).reduce((a, b) => Math.max(a, b), 0);
    const after = row.subarray(k + 1, Math.min(to, k + reach)).reduce((a, b) => Math.max(a, b), 0);
    if (row[k] < deep * Math.min(before, after)) return [[from, k], ...parted(row, k, to)];
  }
  return [[from, to]];
}

const together = (a: { from: number; to: number }, b: { from: number; to: number }): number =>
  Math.min(a.to, b.to) - Math.max(a.from, b.from);

/** Of two notes a semitone apart that overlap for the most part the weaker is the stronger one's swing. */
function withoutNeighbours<N extends Omit<Found, 'midi'>>(notes: readonly N[]): N[] {
  return notes.filter(
    n =>
      !notes.some(
        o =>
          o !== n &&
          Math.abs(o.column - n.column) <= NEIGHBOUR * PER_SEMITONE &&
          o.strength > n.strength &&
          together(n, o) > 0.5 * (n.to - n.from),
      ),
  );
}

/** Where a note lies between the thirds of a semitone, by the middle of how its evidence is spread. */
function finePitch({ strength, pitches }: Evidence, { column, from, to }: Omit<Found, 'midi'>): Midi {
  const places: number[] = [];
  for (let k = from; k < to; k++) {
    let [sum, at] = [0, 0];
    for (let d = -2; d <= 2; d++) {
      const v = column + d >= 0 && column + d < pitches ? strength[k * pitches + column + d] : 0;
      sum += v;
      at += v * d;
    }
    if (sum > 0) places.push(at / sum);
  }
  return pitchOf(column + (places.length ? median(places) : 0));
}

/** A note begins where the harmonics of its pitch rise most, and is sung anew where they dip. */
function timed({ quick }: Evidence, n: Found): Found[] {
  const per = HOP / QUICK_HOP;
  const frames = quick.levels.length / quick.bins;
  const reach = Math.round(SEARCH / QUICK_HOP);
  const [a, z] = [Math.round(n.from * per), Math.round(n.to * per)];
  const [from, to] = [Math.max(0, a - reach), Math.min(frames, z + reach)];
  const line = levelLine(quick, n.midi, from, to);
  const steepest = (about: number, sign: 1 | -1) => {
    let [best, at] = [LEAST_STEP, about];
    for (let k = Math.max(STEP, about - reach); k < Math.min(line.length - STEP, about + reach); k++) {
      const step = sign * (line[k + STEP] - line[k - STEP]) * (1 - (0.4 * Math.abs(k - about)) / reach);
      if (step > best) [best, at] = [step, k];
    }
    return at;
  };
  const [start, end] = [steepest(a - from, 1), steepest(z - from, -1)];
  if (end - start < SHORTEST_SUNG / QUICK_HOP) return [n];
  const cuts = [start, ...dips(line, start, end), end];
  return cuts.slice(1).map((stop, i) => ({ ...n, from: (from + cuts[i]) / per, to: (from + stop) / per }));
}
/** So far from where the long window has it a note may begin or end. */
const SEARCH: Seconds = 0.16;
/** A rise is told over so many short frames either way, and at least so high, dB. */
const STEP = 2;
const LEAST_STEP = 4;
const SHORTEST_SUNG: Seconds = 0.1;
/** How deep a consonant between two equal pitches is at least, dB, and how far about it is looked. */
const CONSONANT_DB = 6;
const ABOUT: Seconds = 0.15;

/** Where one pitch is sung anew: after each dip, where it rises. */
function dips(line: Float32Array, start: number, end: number): number[] {
  const reach = Math.round(ABOUT / QUICK_HOP);
  const shortest = Math.round(SHORTEST_SUNG / QUICK_HOP);
  const out: number[] = [];
  let last = start;
  for (let k = start + shortest; k < end - shortest; k++) {
    const around = line.subarray(Math.max(start, k - 4), Math.min(end, k + 5));
    if (line[k] > around.reduce((m, v) => Math.min(m, v), Infinity)) continue;
    const most = (from: number, to: number) => line.subarray(from, to).reduce((m, v) => Math.max(m, v), -Infinity);
    const deep = Math.min(most(Math.max(start, k - reach), k), most(k + 1, Math.min(end, k + reach))) - line[k];
    if (deep < CONSONANT_DB || k - last < shortest) continue;
    let rise = k;
    for (let j = k; j < Math.min(end - 1, k + reach); j++)
      if (line[j + 1] - line[j] > line[rise + 1] - line[rise]) rise = j;
    out.push(rise);
    last = rise;
    k = rise + shortest;
  }
  return out;
}

/** At no time more notes than voices: what is weak where others are strong goes. */
function strongest(notes: readonly Found[], voices: number): Found[] {
  const kept: Found[] = [];
  for (const n of [...notes].sort((a, b) => b.strength * (b.to - b.from) - a.strength * (a.to - a.from))) {
    const others = kept.filter(o => together(o, n) > 0);
    // how much of it is sung while all voices sing already
    let crowded = 0;
    for (let k = n.from; k < n.to; k++) if (others.filter(o => k >= o.from && k < o.to).length >= voices) crowded++;
    if (crowded <= 0.5 * (n.to - n.from)) kept.push(n);
  }
  return kept;
}

/** Which line each note belongs to: by the order of pitches where all sing; where they do not, by what is near it in time and pitch. */
function inLines(notes: readonly Found[], count: number): UnpickedNote[] {
  const sorted = [...notes].sort((a, b) => a.from - b.from || b.midi - a.midi);
  const votes = sorted.map(() => new Array<number>(count).fill(0));
  const ends = Math.max(0, ...sorted.map(n => n.to));
  for (let k = 0; k < ends; k += 2) {
    const now = sorted
      .flatMap((n, i) => (k >= n.from && k < n.to ? [i] : []))
      .sort((i, j) => sorted[j].midi - sorted[i].midi);
    if (now.length === count) now.forEach((i, rank) => votes[i][rank]++);
  }
  const lines = votes.map((v, i) => {
    const most = Math.max(...v);
    return most * 2 > 0.3 * (sorted[i].to - sorted[i].from) ? v.indexOf(most) : -1;
  });
  // what is sure says where the others belong: the nearest in time first
  for (;;) {
    let best: { i: number; line: number; cost: number } | null = null;
    sorted.forEach((_, i) => {
      if (lines[i] >= 0) return;
      for (let line = 0; line < count; line++) {
        const cost = costOf(sorted, lines, i, line);
        if (!best || cost < best.cost) best = { i, line, cost };
      }
    });
    if (!best) break;
    const { i, line } = best as { i: number; line: number };
    lines[i] = line;
  }
  return sorted.map((n, i) => ({
    start: n.from * HOP,
    end: n.to * HOP,
    midi: n.midi,
    strength: Math.min(1, n.strength),
    line: lines[i],
  }));
}

/** How ill a note fits a line of which some notes are known: what it crosses, what it sounds over, how far it leaps. */
function costOf(sorted: readonly Found[], lines: readonly number[], i: number, line: number): number {
  const n = sorted[i];
  let cost = 0;
  let [nearest, leap] = [Infinity, 6];
  sorted.forEach((o, j) => {
    if (j === i || lines[j] < 0) return;
    const common = together(n, o);
    if (common > 0) {
      if (lines[j] === line) cost += (60 * common) / (n.to - n.from);
      else if ((lines[j] - line) * (o.midi - n.midi) > 0) cost += (25 * common) / (n.to - n.from);
      return;
    }
    if (lines[j] === line && -common < nearest) [nearest, leap] = [-common, Math.abs(n.midi - o.midi)];
  });
  return cost + leap + 0.02 * Math.min(200, nearest);
}

/** How many sing: as many as are about as strong as the strongest for most of the time, and at most four. */
function voicesIn(notes: readonly Found[]): number {
  const sums = [0, 0, 0, 0, 0];
  const ends = Math.max(0, ...notes.map(n => n.to));
  for (let k = 0; k < ends; k += 5) {
    const now = notes.filter(n => k >= n.from && k < n.to).map(n => n.strength);
    now
      .sort((x, y) => y - x)
      .slice(0, 5)
      .forEach((v, i) => (sums[i] += v));
  }
  let count = 1;
  while (count < 4 && sums[count] > AS_STRONG * sums[0]) count++;
  return count;
}
const AS_STRONG = 0.5;
