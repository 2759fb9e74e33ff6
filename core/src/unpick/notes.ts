import { SlidingMedian } from '../signal/sliding-median';
import { median, quantile } from '../signal/statistics';
import type { Midi, Seconds } from '../units';
import { HOP, levelLine, pitchOf, PER_SEMITONE, QUICK_HOP, type Activations } from './evidence';
import { together, type Found } from './found';
import { inside, type Compasses } from './lines';

/** Notes in what sounds: where a pitch is strong, cut where it is sung anew. */

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

/** Notes of one pitch each, with their times. */
export const notesIn = (heard: Activations, rows: Semitones): Found[] =>
  withoutNeighbours(candidates(rows)).flatMap(n => timed(heard, { ...n, midi: finePitch(heard, n) }));

/** Whether a note is for the most part where another of its pitch is. */
export const samePlace = (a: Found, b: Found): boolean =>
  Math.abs(a.midi - b.midi) < 0.5 && together(a, b) > 0.5 * (a.to - a.from);

/** Medians over a tenth of a second either way, before anything is decided. */
function smoothed({ strength, frames, pitches }: Activations): Float32Array {
  const reach = Math.round(SMOOTH / HOP);
  const out = new Float32Array(strength.length);
  const line = new Float32Array(frames);
  for (let p = 0; p < pitches; p++) {
    for (let k = 0; k < frames; k++) line[k] = strength[k * pitches + p];
    const around = new SlidingMedian(line, 2 * reach + 1);
    for (let k = 0; k < frames; k++)
      out[k * pitches + p] = around.over(Math.max(0, k - reach), Math.min(frames, k + reach + 1));
  }
  return out;
}

/** How strong each semitone is in each frame, 1 for a loud note. */
export interface Semitones {
  frames: number;
  /** Columns of the evidence they lie on. */
  columns: number[];
  rows: Float32Array[];
}

/** Whether a pitch lies where somebody is said to sing; everywhere when nobody said. */
export const isSaid = (midi: Midi, compasses?: Compasses): boolean =>
  !compasses?.length || compasses.some(c => inside(c, midi));

/** Semitones on the tuning that most of the evidence lies on. */
export function bySemitone(heard: Activations, compasses?: Compasses): Semitones {
  const { frames, pitches } = heard;
  const smooth = smoothed(heard);
  const sums = new Array<number>(PER_SEMITONE).fill(0);
  for (let i = 0; i < smooth.length; i++) sums[(i % pitches) % PER_SEMITONE] += smooth[i] ** 2;
  const columns: number[] = [];
  for (let c = sums.indexOf(Math.max(...sums)); c < pitches; c += PER_SEMITONE)
    if (isSaid(pitchOf(c), compasses)) columns.push(c);
  const rows = columns.map(c => {
    const row = new Float32Array(frames);
    for (let k = 0; k < frames; k++)
      for (let d = -1; d <= 1; d++) row[k] += c + d >= 0 && c + d < pitches ? smooth[k * pitches + c + d] : 0;
    return row;
  });
  return normalised({ frames, columns, rows });
}

/** Strengths in parts of what a loud note has: the strongest of each frame that sounds, as it usually is. @param but notes that do not count */
export function normalised({ frames, columns, rows }: Semitones, but: readonly Found[] = []): Semitones {
  const counted = rows.map(r => r.slice());
  for (const n of but)
    columns.forEach((c, s) => {
      if (Math.abs(c - n.column) <= PER_SEMITONE) counted[s].fill(0, Math.max(0, Math.round(n.from)), Math.round(n.to));
    });
  const most = Array.from({ length: frames }, (_, k) => counted.reduce((m, r) => Math.max(m, r[k]), 0));
  const sounding = most.filter(v => v > 0);
  const usual = sounding.length ? quantile(sounding, 0.75) : 1;
  return { frames, columns, rows: rows.map(r => r.map(v => v / usual)) };
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
function finePitch({ strength, pitches }: Activations, { column, from, to }: Omit<Found, 'midi'>): Midi {
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
function timed({ quick }: Activations, n: Found): Found[] {
  const per = HOP / QUICK_HOP;
  const frames = quick.levels.length / quick.bins;
  const reach = Math.round(SEARCH / QUICK_HOP);
  const [a, z] = [Math.round(n.from * per), Math.round(n.to * per)];
  const [from, to] = [Math.max(0, a - reach), Math.min(frames, z + reach)];
  const line = levelLine(quick, n.midi, from, to);
  // what is far under the note is silence or a consonant's noise: how it rises out of nothing is no beginning
  const floor = line.reduce((m, v) => Math.max(m, v), -Infinity) - HEARD_DB;
  for (let k = 0; k < line.length; k++) line[k] = Math.max(line[k], floor);
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
const HEARD_DB = 30;
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
