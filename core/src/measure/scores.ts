import { nearestStep, type Scale } from '../music';
import { median } from '../signal/statistics';
import type { Cents, Seconds } from '../units';

/** Steady time within this of its step is in tune; an onset within this of its place is in time. */
export const IN_TUNE_CENTS: Cents = 20;
export const IN_TIME_SECONDS: Seconds = 0.03;
/** Onsets further off than this count as this far: one note misread must not decide. */
const FARTHEST: Seconds = 0.08;
/** A cycle of the slowest vibrato: the line is smoothed over it before it is judged. */
const CYCLE: Seconds = 0.18;
/** Rising or falling faster than this is a glide, not a steady note. */
const STEADY_CENTS_PER_SECOND = 500;

interface NoteSpan {
  start: Seconds;
  end: Seconds;
  /** Its centre, MIDI. */
  sung: number;
}

export interface InTune {
  /** Share of steady voiced time within 20 cents of its allowed step; NaN when nothing is steady. */
  share: number;
  steadySeconds: Seconds;
  /** Mean distance, cents: tells two takes of equal share apart. */
  meanCents: Cents;
}

/**
 * In-tune score of a stretch of a sung line.
 * @param line MIDI per frame, NaN where nothing is sung @param hop seconds a frame
 * @param notes those of the stretch; a frame is judged against the step nearest to its note's centre
 * @param meantOf what a note is meant to be, cents, where that is said; else null
 */
export function inTuneScore(
  line: Float32Array,
  hop: Seconds,
  notes: readonly NoteSpan[],
  scaleAt: (t: Seconds) => Scale,
  meantOf?: (note: NoteSpan) => Cents | null,
): InTune {
  let steady = 0;
  let good = 0;
  let off = 0;
  const reach = Math.round(CYCLE / 2 / hop);
  for (const n of notes) {
    const from = Math.max(0, Math.round(n.start / hop));
    const to = Math.min(line.length, Math.round(n.end / hop));
    const step = meantOf?.(n) ?? nearestStep(scaleAt(n.start), n.sung * 100);
    const smooth = smoothed(line, from, to, reach);
    for (let k = from; k < to; k++) {
      const v = smooth[k - from];
      if (Number.isNaN(v)) continue;
      const before = smooth[Math.max(0, k - from - reach)];
      const after = smooth[Math.min(smooth.length - 1, k - from + reach)];
      const slope = (after - before) / (2 * reach * hop);
      if (Math.abs(slope * 100) > STEADY_CENTS_PER_SECOND) continue;
      const cents = Math.abs(v * 100 - step);
      steady++;
      off += Math.min(100, cents);
      if (cents <= IN_TUNE_CENTS) good++;
    }
  }
  return { share: steady ? good / steady : NaN, steadySeconds: steady * hop, meanCents: steady ? off / steady : NaN };
}

/** Mean of the sung frames about each frame of [from, to), none from outside it. */
function smoothed(line: Float32Array, from: number, to: number, reach: number): Float64Array {
  const out = new Float64Array(Math.max(0, to - from)).fill(NaN);
  for (let k = from; k < to; k++) {
    if (Number.isNaN(line[k])) continue;
    let sum = 0;
    let count = 0;
    for (let j = Math.max(from, k - reach); j < Math.min(to, k + reach + 1); j++)
      if (!Number.isNaN(line[j])) {
        sum += line[j];
        count++;
      }
    out[k - from] = sum / count;
  }
  return out;
}

export interface InTime {
  /** Share of onsets within 30 ms of where they belong; NaN for none. */
  share: number;
  good: number;
  onsets: number;
  /** Mean distance, s, none counted above 80 ms. */
  meanSeconds: Seconds;
}

/**
 * In-time score of onsets against where they belong.
 * @param expected moments in order: of a grid, or of a reference take
 */
export function inTimeScore(onsets: readonly Seconds[], expected: readonly Seconds[]): InTime {
  let good = 0;
  let off = 0;
  for (const t of onsets) {
    const distance = expected.reduce((best, e) => Math.min(best, Math.abs(e - t)), Infinity);
    if (distance <= IN_TIME_SECONDS) good++;
    off += Math.min(FARTHEST, distance);
  }
  const n = onsets.length;
  return { share: n ? good / n : NaN, good, onsets: n, meanSeconds: n ? off / n : NaN };
}

const nearest = (sorted: readonly Seconds[], t: Seconds): Seconds =>
  sorted.reduce((best, q) => (Math.abs(q - t) < Math.abs(best - t) ? q : best), Infinity);

/** Largest common lag that is believed, s. */
const LARGEST_LAG = 0.045;

/**
 * How late all takes together are against the grid: what headphones, latency and the way of hearing onsets add to every one of them.
 * Median over all onsets; scores are judged after taking it off, so that they tell takes apart. 0 when there is no grid.
 */
export function commonLag(onsets: readonly Seconds[], grid: readonly Seconds[] | null): Seconds {
  if (!grid?.length || !onsets.length) return 0;
  const lag = median(onsets.map(t => t - nearest(grid, t)));
  return Math.max(-LARGEST_LAG, Math.min(LARGEST_LAG, lag));
}

/**
 * Where the onsets of several takes of one phrase belong: each group of onsets that at least half of the takes share, at its middle;
 * with a grid, pulled to the grid's nearest point when the group as a whole sits on it.
 * @param takes onsets of each take, song time @param lag of all takes against the grid, see commonLag
 */
export function sharedOnsets(
  takes: readonly (readonly Seconds[])[],
  grid: readonly Seconds[] | null,
  lag: Seconds = 0,
): Seconds[] {
  const all = takes.flatMap((list, take) => list.map(t => ({ t, take }))).sort((a, b) => a.t - b.t);
  const groups: { t: Seconds; take: number }[][] = [];
  for (const o of all) {
    const last = groups[groups.length - 1];
    if (last && o.t - last[0].t < 0.16 && !last.some(q => q.take === o.take)) last.push(o);
    else groups.push([o]);
  }
  return groups
    .filter(g => g.length * 2 >= takes.length)
    .map(g => {
      const middle = g[Math.floor(g.length / 2)].t;
      const mean = g.length % 2 ? middle : (g[g.length / 2 - 1].t + middle) / 2;
      if (!grid) return mean;
      const near = nearest(grid, mean - lag) + lag;
      return Math.abs(near - mean) < 0.09 ? near : mean;
    });
}

/** A take's scores at one phrase. */
export interface CellScore {
  takeId: string;
  tune: InTune;
  time: InTime;
  /** What a comp is chosen by: both shares, with the means to tell equals apart; higher is better. */
  merit: number;
}

export const meritOf = (tune: InTune, time: InTime): number =>
  (Number.isNaN(tune.share) ? 0 : tune.share - tune.meanCents / 100) +
  (Number.isNaN(time.share) ? 0 : 0.8 * (time.share - time.meanSeconds / 0.1));

/** What changing take costs, in merit: a comp of few joins sounds like one performance. */
const JOIN_COST = 0.08;

/**
 * The take of each phrase that makes the best comp: most merit, few joins (dynamic programming over phrases).
 * @param cells scores of each phrase's takes; a phrase nobody sings has none
 * @returns a take for each phrase; phrases nobody sings go on in the take before
 */
export function suggestComp(cells: readonly (readonly CellScore[])[]): (string | null)[] {
  const ids = [...new Set(cells.flatMap(c => c.map(s => s.takeId)))];
  if (!ids.length) return cells.map(() => null);
  let best = ids.map(() => 0);
  const from: number[][] = [];
  for (const phrase of cells) {
    const top = best.indexOf(Math.max(...best));
    const back: number[] = [];
    best = ids.map((id, i) => {
      const stay = best[i];
      const change = best[top] - JOIN_COST;
      back.push(stay >= change ? i : top);
      const score = phrase.find(s => s.takeId === id);
      // a take that does not sing this phrase would leave a hole
      return Math.max(stay, change) + (score ? score.merit : phrase.length ? -5 : 0);
    });
    from.push(back);
  }
  let at = best.indexOf(Math.max(...best));
  const out: string[] = [];
  for (let p = cells.length - 1; p >= 0; p--) {
    out.unshift(ids[at]);
    at = from[p][at];
  }
  return out;
}
