import { quantile } from '../signal/statistics';
import { HOP, type Evidence } from './evidence';
import { together, type Found } from './found';
import { movement } from './motion';

/** Without what is played and not sung: what no voice holds so still, where enough of it is there. */
export function withoutKeyboard({ partials }: Evidence, notes: readonly Found[]): Found[] {
  const moves = notes.map(n => movement(partials, n.midi, { start: n.from * HOP, end: n.to * HOP }));
  const time = (keep: (i: number) => boolean) => notes.reduce((s, n, i) => s + (keep(i) ? n.to - n.from : 0), 0);
  const still = time(i => moves[i] < STILL);
  if (still < LEAST_PLAYED * time(i => moves[i] >= STILL)) return [...notes];
  // where those sing that surely do
  const sure = notes.filter((_, i) => moves[i] > SUNG);
  const pitches = sure.map(n => n.midi);
  const [low, high] = pitches.length ? [quantile(pitches, 0.05) - BEYOND, quantile(pitches, 0.95) + BEYOND] : [0, 127];
  return notes.filter((n, i) => {
    if (moves[i] < STILL) return false;
    if (moves[i] > SUNG) return true;
    const amid = sure.some(o => together(n, o) > 0.3 * (n.to - n.from));
    return amid && n.midi >= low && n.midi <= high;
  });
}
/** Under the first, cents, a note is played; over the second it is sung. */
const STILL = 1.7;
const SUNG = 3;
/** A keyboard is there when what stands still lasts this part of what moves. */
const LEAST_PLAYED = 0.2;
/** Semitones beyond those that surely sing. */
const BEYOND = 2;
