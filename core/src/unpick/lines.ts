import type { Compass } from '../parts/voice-leading';
import type { Midi } from '../units';
import { together, type Found } from './found';

/** Whose the notes of a chord are: how many sing, which are theirs, and in which line. */

/** Between which pitches each voice sings, the highest first; null: not said. */
export type Compasses = readonly (Compass | null)[];

export const inside = (c: Compass | null | undefined, midi: Midi): boolean =>
  !c || (midi > c.low - 0.6 && midi < c.high + 0.6);

/** At no time more notes than voices: what is weak where others are strong goes. */
export function strongest(notes: readonly Found[], voices: number): Found[] {
  const kept: Found[] = [];
  const weight = new Map(
    notes.map(n => [n, n.strength * (n.to - n.from) * (notes.some(o => echoes(n, o)) ? ECHO : 1)] as const),
  );
  for (const n of [...notes].sort((a, b) => weight.get(b)! - weight.get(a)!)) {
    const others = kept.filter(o => together(o, n) > 0);
    // how much of it is sung while all voices sing already
    let crowded = 0;
    for (let k = n.from; k < n.to; k++) if (others.filter(o => k >= o.from && k < o.to).length >= voices) crowded++;
    if (crowded <= 0.5 * (n.to - n.from)) kept.push(n);
  }
  return kept;
}

/** Whether a note may be nothing but harmonics of another: an octave, a twelfth or two octaves over it for as long. */
export const echoes = (n: Found, o: Found): boolean =>
  ECHOES.some(by => Math.abs(n.midi - o.midi - by) < NEAR) &&
  together(n, o) > 0.6 * (n.to - n.from) &&
  o.strength > LEAST_ECHOED * n.strength;
const ECHOES = [12, 19, 24];
const NEAR = 0.3;
const LEAST_ECHOED = 0.3;
const ECHO = 0.4;

/** Which line each note belongs to: by the order of pitches where all sing; where they do not, by what is near it in time and pitch. */
export function inLines(notes: readonly Found[], count: number, compasses?: Compasses): number[] {
  const sorted = [...notes].sort((a, b) => a.from - b.from || b.midi - a.midi);
  const votes = sorted.map(() => new Array<number>(count).fill(0));
  const ends = Math.max(0, ...sorted.map(n => n.to));
  for (let k = 0; k < ends; k += 2) {
    const now = sorted
      .flatMap((n, i) => (k >= n.from && k < n.to ? [i] : []))
      .sort((i, j) => sorted[j].midi - sorted[i].midi);
    if (now.length === count)
      now.forEach((i, rank) => {
        if (inside(compasses?.[rank], sorted[i].midi)) votes[i][rank]++;
      });
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
      const { line, cost } = likeliestLine(sorted, lines, i, count, compasses);
      if (!best || cost < best.cost) best = { i, line, cost };
    });
    if (!best) break;
    const { i, line } = best as { i: number; line: number };
    lines[i] = line;
  }
  return notes.map(n => lines[sorted.indexOf(n)]);
}

/** The line a note fits best, of which those of some others are known (-1: not known). */
export function likeliestLine(
  notes: readonly Found[],
  lines: readonly number[],
  i: number,
  count: number,
  compasses?: Compasses,
): { line: number; cost: number } {
  let best = { line: 0, cost: Infinity };
  for (let line = 0; line < count; line++) {
    const cost = costOf(notes, lines, i, line) + (inside(compasses?.[line], notes[i].midi) ? 0 : OUTSIDE);
    if (cost < best.cost) best = { line, cost };
  }
  return best;
}
const OUTSIDE = 40;

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
export function voicesIn(notes: readonly Found[]): number {
  const sums = [0, 0, 0, 0, 0];
  const sure = notes.map(n => ({ ...n, strength: n.strength * (notes.some(o => echoes(n, o)) ? LIKELY_ECHO : 1) }));
  const ends = Math.max(0, ...notes.map(n => n.to));
  for (let k = 0; k < ends; k += 5) {
    const now = sure.filter(n => k >= n.from && k < n.to).map(n => n.strength);
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
/** What may be another's harmonics counts less. */
const LIKELY_ECHO = 0.8;
