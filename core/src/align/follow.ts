import type { Span } from '../units';
import { TimeMap, type Meeting } from '../song/timemap';
import type { Seconds } from '../units';
import { elasticLine } from './elastic';
import { simplified } from './simplify';

/** How a follower goes along with what was found. */
export interface FollowRule {
  /** 0..100: how much of each offset is taken away. */
  closeness: number;
  /** Most that a word is bent: 1.6 is 1.6 times as fast, or as slow. */
  bending: number;
  /** Moments that are met exactly whatever the closeness: follower time, and where it should be heard. */
  exact: readonly Meeting[];
  /** Pairs matched by hand, follower and lead time: surer than anything that was found, so what must bend bends about them. */
  ties?: readonly Meeting[];
  /** Stretches left as they were sung, follower time. */
  asSung: readonly Span[];
}

/** What of an alignment says where everything belongs. */
export interface Found {
  map: readonly Meeting[];
  /** Where the follower is silent: time may run there as it likes. */
  rests: readonly Span[];
}

const STEP: Seconds = 0.01;
/** A stretch left as sung lets go of its neighbourhood over so long. */
const LETTING_GO: Seconds = 0.3;
const LOOSE = 0.002;
const EXACT = 1e6;
/** What a tie weighs beside a moment that was found. */
const TIED = 400;
/** How near the kept map stays: half of what is called together at its best. */
const NEAR: Seconds = 0.0004;
/** Slower or faster by less than this is not bent at all. */
const HARDLY = 0.004;

/**
 * Where each moment of a follower is heard: drawn to its lead as far as closeness says, bent no more than allowed.
 * @param duration of the follower, s
 * @returns follower time to heard time, both from the song's zero; strictly rising
 */
export function followedMap(found: Found, rule: FollowRule, duration: Seconds): TimeMap {
  const n = Math.max(2, Math.ceil(duration / STEP) + 1);
  const share = Math.max(0, Math.min(1, rule.closeness / 100));
  if (!share && !rule.exact.length) return TimeMap.identity;
  const full = TimeMap.through(found.map);
  const weights = new Float64Array(n).fill(1);
  const places = new Float64Array(n);
  for (let i = 0; i < n; i++) {
    const t = i * STEP;
    places[i] = t + share * (full.forward(t) - t);
  }
  for (const t of rule.ties ?? []) {
    const i = Math.max(0, Math.min(n - 1, Math.round(t.from / STEP)));
    weights[i] = TIED;
    places[i] = i * STEP + share * (t.to - t.from);
  }
  const index = (t: Seconds) => Math.max(0, Math.min(n - 1, Math.round(t / STEP)));
  for (const s of rule.asSung) {
    const [a, z] = [index(s.start), index(s.end)];
    const reach = Math.round(LETTING_GO / STEP);
    for (let d = 1; d <= reach; d++)
      for (const i of [a - d, z + d]) if (i >= 0 && i < n) weights[i] = Math.min(weights[i], LOOSE);
    for (let i = a; i <= z; i++) {
      weights[i] = EXACT;
      places[i] = i * STEP;
    }
  }
  // what is asked exactly draws its neighbourhood along with it
  for (const e of rule.exact) {
    const i = index(e.from);
    const by = e.to - e.from - (places[i] - i * STEP);
    const reach = Math.round(LETTING_GO / STEP);
    for (let d = -reach; d <= reach; d++) {
      const k = i + d;
      if (k < 0 || k >= n || weights[k] >= EXACT) continue;
      places[k] += by * (0.5 + 0.5 * Math.cos((Math.PI * d) / (reach + 1)));
      weights[k] = Math.min(weights[k], 0.1);
    }
    weights[i] = EXACT;
    places[i] = e.to + (i * STEP - e.from);
  }
  const free = new Uint8Array(n);
  for (const r of found.rests) free.fill(1, index(r.start), index(r.end));
  const most = Math.max(1.01, rule.bending);
  const line = elasticLine(
    { weights, places, stiffness: new Float64Array(n) },
    STEP,
    // the output over the input: bent so far either way
    { slowest: 1 / most, fastest: most, free },
  );
  const exact = rule.exact.map(e => ({ from: e.from, to: e.to }));
  const points: Meeting[] = [];
  for (let i = 0; i < n; i++) points.push({ from: i * STEP, to: line[i] });
  const loose = points.filter(p =>
    exact.every(e => Math.abs(p.from - e.from) > STEP / 2 && (p.from - e.from) * (p.to - e.to) > 0),
  );
  const all = [...loose, ...exact].sort((a, b) => a.from - b.from);
  return TimeMap.through(straightened(simplified(all, NEAR, new Set(exact)), new Set(exact)));
}

/** Stretches bent by next to nothing are moved as they are, so that they are copied and not made anew. */
function straightened(points: Meeting[], exact: ReadonlySet<Meeting>): Meeting[] {
  const out = points.map(p => ({ ...p }));
  for (let i = 0; i + 1 < out.length; i++) {
    const [p, q] = [out[i], out[i + 1]];
    const speed = (q.to - p.to) / (q.from - p.from);
    if (Math.abs(speed - 1) > HARDLY || exact.has(points[i + 1])) continue;
    const to = p.to + q.from - p.from;
    // the difference may not become a bend of what follows
    const next = out[i + 2];
    if (!next || next.to - to > 0.2 * (next.from - q.from)) q.to = to;
  }
  return out;
}

/** How a syllable of the follower stands to its lead. */
export interface Offset {
  /** Of the syllable's onset, follower time. */
  at: Seconds;
  /** Late is above 0. Null: it has no counterpart. */
  sung: Seconds | null;
  now: Seconds | null;
  /** Length now over length as sung. */
  stretch: number;
}

/** Beyond this a bent word is heard to be bent. */
export const UNNATURAL = 1.45;

/** Where syllables hang: how early or late each is, as sung and as heard now. */
export function offsetsOf(
  syllables: readonly (Span & { onset: Seconds })[],
  found: { map: readonly Meeting[]; apart: readonly Span[] },
  heard: TimeMap,
): Offset[] {
  const full = TimeMap.through(found.map);
  return syllables.map(({ start, end, onset }) => {
    const middle = (start + end) / 2;
    const alone = found.apart.some(s => middle >= s.start && middle < s.end);
    const counterpart = full.forward(onset);
    return {
      at: onset,
      sung: alone ? null : onset - counterpart,
      now: alone ? null : heard.forward(onset) - counterpart,
      stretch: (heard.forward(end) - heard.forward(start)) / Math.max(1e-3, end - start),
    };
  });
}
