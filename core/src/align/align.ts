import { Stopped } from '../read';
import type { Span } from '../units';
import { quantile } from '../signal/statistics';
import { seededRandom } from '../signal/random';
import { TimeMap, type Meeting } from '../song/timemap';
import type { Seconds, Semitones } from '../units';
import { anchorAt, certaintyOf, type Anchor } from './anchors';
import { elasticLine, type Elastic } from './elastic';
import { alignFeatures, coarser, DIMS, FRAME, type AlignFeatures, type Frames } from './features';
import { featuresAlike } from './tract';
import { intervalPrices } from './intervals';
import { Distances, findWay, risingBand, type Band, type Way } from './match';
import { simplified } from './simplify';

/** A pair of moments said by hand to belong together. */
export interface Tie {
  follower: Seconds;
  lead: Seconds;
}

/** What was found of a follower and its lead. Times of both count from the same zero. */
export interface Alignment {
  /** Follower time to lead time: the full correspondence, strictly rising. */
  map: Meeting[];
  /** Stretches of the follower with no counterpart in the lead. */
  apart: Span[];
  /** Where the follower is silent. */
  rests: Span[];
  /** 0..1: how much nearer the matching moments are to each other than strangers. */
  confidence: number;
}

/** The pitch of both as read, Hz a frame of 5 ms, 0 where nothing is sung. */
export interface PairPitch {
  lead: Float32Array;
  follower: Float32Array;
}

export interface AlignOptions {
  ties?: readonly Tie[];
  /** Called now and then with the share done, 0..1. Return false to stop. */
  onProgress?: (share: number) => boolean | void;
}

/** Two takes one of which is silent. The message is for the user. */
export class NothingToAlign extends Error {
  override name = 'NothingToAlign';
}

/** First look: frames of 20 ms, within so many seconds of each other. */
const COARSE = 4;
const REACH: Seconds = 2.5;
const REACH_FINE: Seconds = 0.12;
const BENDING = { coarse: 0.12, fine: 0.06 };
/** The price of being alone lies between these shares of how far strangers are apart. */
const STRANGER = { first: 2, least: 1.15, most: 1.3, above: 0.45 };
/** An interval the two never keep counts so much of how far strangers are apart. */
const INTERVAL = 0.5;
/** And one they keep speaks for a match, where little else is alike. */
const TRUST = 0.5;
/** A pinned moment leaves the band so much room a second away from it. */
const PINCH = 1.2;
const LEAST_APART: Seconds = 0.12;
/** Something of note begins or ends. */
const EVENT = 0.25;
const ANCHOR_PULL = 20;
const TIE_PULL = 1e7;
const STIFFNESS = { voice: 8, silence: 0.6, hiss: 30, apart: 2e5 };
/** What lies further than this from where it is drawn to may be drawn there wrongly. */
const NEAR_ENOUGH: Seconds = 0.05;
const REWEIGHED = 4;
const SPEED = { slowest: 0.55, fastest: 1.9 };
/** How near the kept map stays to the one found. */
const KEPT_TO: Seconds = 0.0002;

/** What the pair says of itself: how far strangers and matching moments are apart, and what being alone costs. */
interface PairPrices {
  chance: number;
  matched: number;
  stranger: number;
  /** What intervals the two do not usually keep cost, by intervalIndex; null when nothing is known of them. */
  intervals: Float32Array | null;
}

/** What an Aligner computes in: for ten minutes 55 MB. */
export interface AlignerMemory {
  coarse: ArrayBufferLike;
  fine?: ArrayBufferLike;
}

/** A follower and its lead, made ready for being aligned again and again as ties come and go. */
export class Aligner {
  private readonly coarse: { follower: Frames; lead: Frames };
  /** Of the whole band without ties; what a tie changes is its neighbourhood. */
  private readonly distances: Distances;
  /** Of the last fine search: much of the next one's is the same. */
  private fine: Distances | null = null;
  /** Memory for the first fine search. */
  private spare: ArrayBufferLike | undefined;
  private prices: PairPrices | null = null;

  /**
   * @param memory of one that is not used any more
   * @throws NothingToAlign when one of them is silent
   */
  constructor(
    readonly follower: AlignFeatures,
    readonly lead: AlignFeatures,
    memory?: AlignerMemory,
  ) {
    for (const [name, f] of [
      ['lead', lead],
      ['follower', follower],
    ] as const)
      if (f.silent.every(s => s)) throw new NothingToAlign(`the ${name} is silent`);
    this.coarse = { follower: coarser(follower, COARSE), lead: coarser(lead, COARSE) };
    this.distances = this.coarseDistances([], undefined, memory?.coarse);
    this.spare = memory?.fine;
  }

  /** To be taken over by another, after which this one is of no use. */
  get memory(): AlignerMemory {
    return { coarse: this.distances.values.buffer, fine: this.fine?.values.buffer ?? this.spare };
  }

  /** @throws Stopped */
  align({ ties = [], onProgress = () => {} }: AlignOptions = {}): Alignment {
    const tell = (from: number, to: number) => (share: number) => {
      if (onProgress(from + share * (to - from)) === false) throw new Stopped('the alignment was stopped');
    };
    const sorted = risingTies(ties);
    const { stranger, matched, chance, intervals } = (this.prices ??= this.findPrices(tell(0, 0.2)));
    const distances = sorted.length ? this.coarseDistances(sorted, this.distances) : this.distances;
    const rough = findWay(distances, { stranger, bending: BENDING.coarse }, tell(0.2, 0.4));
    const band = this.fineBand(rough, sorted);
    this.fine = new Distances(this.follower, this.lead, band, 1, this.fine ?? undefined, intervals, this.spare);
    this.spare = undefined;
    const fine = findWay(this.fine, { stranger, bending: BENDING.fine }, tell(0.4, 0.9));
    tell(0.9, 1)(0);
    const apart = this.apartOf(fine);
    const line = this.elastic(fine, apart, sorted);
    return {
      map: mapOf(line, sorted),
      apart,
      rests: restsOf(this.follower),
      confidence: Math.max(0, Math.min(1, 1 - matched / (chance || 1))),
    };
  }

  /** The price of being alone comes from the pair itself, looked at once as if nobody were. */
  private findPrices(onRow: (share: number) => void): PairPrices {
    const chance = strangers(this.coarse.follower, this.coarse.lead);
    const gapless = findWay(this.distances, { stranger: STRANGER.first * chance, bending: BENDING.coarse }, onRow);
    const matched = this.matchOf(gapless) ?? chance;
    const price = Math.min(STRANGER.most * chance, matched + STRANGER.above * chance);
    const intervals = this.intervalsOf(gapless, matched / (chance || 1))?.map(v => v * INTERVAL * chance) ?? null;
    if (intervals) this.distances.charge(intervals);
    return { chance, matched, stranger: Math.max(STRANGER.least * chance, price), intervals };
  }

  /** What the intervals of moments a way takes for the same say of others. @param strangeness distance of matches over that of strangers */
  private intervalsOf({ met }: Way, strangeness: number): Float32Array | null {
    const { follower, lead } = this.coarse;
    const interval = (i: number, j: number) => lead.pitch[j] - follower.pitch[i];
    const known = (v: number) => !Number.isNaN(v);
    const matched: Semitones[] = [];
    for (let i = 0; i < met.length; i++) if (Number.isInteger(met[i])) matched.push(interval(i, met[i]));
    const pairs = randomPairs(follower, lead).map(([i, j]) => interval(i, j));
    return intervalPrices(matched.filter(known), pairs.filter(known), TRUST * strangeness);
  }

  /** Distances in the band round the ties. */
  private coarseDistances(ties: readonly Tie[], known?: Distances, memory?: ArrayBufferLike): Distances {
    const { follower, lead } = this.coarse;
    const band = this.band(follower.frames, lead.frames, FRAME * COARSE, ties, REACH);
    return new Distances(follower, lead, band, COARSE, known, this.prices?.intervals ?? null, memory);
  }

  private band(n: number, m: number, step: Seconds, ties: readonly Tie[], reach: Seconds): Band {
    const low = new Int32Array(n);
    const high = new Int32Array(n);
    const through = TimeMap.through(ties.map(t => ({ from: t.follower, to: t.lead })));
    for (let i = 0; i < n; i++) {
      const t = i * step;
      const half = pinched(ties, t, reach, step);
      const centre = through.forward(t);
      low[i] = Math.floor((centre - half) / step);
      high[i] = Math.ceil((centre + half) / step);
    }
    return risingBand(low, high, m);
  }

  /** A narrow band about the first way. */
  private fineBand(way: Way, ties: readonly Tie[]): Band {
    const n = this.follower.frames;
    const low = new Int32Array(n);
    const high = new Int32Array(n);
    for (let i = 0; i < n; i++) {
      const k = Math.min(way.first.length - 1, Math.floor(i / COARSE));
      const within = i - k * COARSE;
      const half = pinched(ties, i * FRAME, REACH_FINE, FRAME * COARSE) / FRAME;
      low[i] = Math.floor(way.first[k] * COARSE + within - half);
      high[i] = Math.ceil(way.last[k] * COARSE + within + half);
    }
    return risingBand(low, high, this.lead.frames);
  }

  /** Median distance of the frames a way takes for the same; null when it takes none. */
  private matchOf({ met }: Way): number | null {
    const { follower, lead } = this.coarse;
    const found: number[] = [];
    for (let i = 0; i < met.length; i++) {
      const j = met[i];
      if (!Number.isInteger(j) || follower.silent[i] || lead.silent[j]) continue;
      found.push(distance(follower, lead, i, j));
    }
    return found.length ? quantile(found, 0.5) : null;
  }

  /** Where the follower really sounds while it is alone. */
  private apartOf({ alone }: Way): Span[] {
    const { silent } = this.follower;
    const n = alone.length;
    const out: Span[] = [];
    const bridge = 6;
    for (let i = 0; i < n; i++) {
      if (!alone[i]) continue;
      let first = -1;
      let last = -1;
      let loud = 0;
      for (; i < n && (alone[i] || (i + bridge < n && alone[i + bridge])); i++) {
        if (silent[i]) continue;
        loud++;
        if (first < 0) first = i;
        last = i;
      }
      if (loud * FRAME >= LEAST_APART) out.push({ start: first * FRAME, end: (last + 1) * FRAME });
    }
    return out;
  }

  /** The map as one elastic line: drawn by the way found and, far more, by its anchors; stiff where bending would be heard. */
  private elastic(way: Way, apart: readonly Span[], ties: readonly Tie[]): Float64Array {
    const { follower } = this;
    const n = follower.frames;
    const isApart = new Uint8Array(n);
    for (const s of apart) isApart.fill(1, Math.max(0, Math.floor(s.start / FRAME) - 4), Math.ceil(s.end / FRAME) + 4);
    const weights = new Float64Array(n);
    const places = new Float64Array(n);
    const stiffness = new Float64Array(n);
    for (let i = 0; i < n; i++) {
      const silent = follower.silent[i] === 1;
      if (!Number.isNaN(way.met[i]) && !isApart[i] && !silent) {
        weights[i] = 0.05 + Math.min(1, follower.change[i]) ** 2;
        places[i] = way.met[i] * FRAME;
      }
      stiffness[i] = isApart[i]
        ? STIFFNESS.apart
        : silent
          ? STIFFNESS.silence
          : follower.hissing[i]
            ? STIFFNESS.hiss
            : STIFFNESS.voice;
    }
    for (const { frame, lead, certainty } of this.anchors(way, isApart)) {
      const pull = ANCHOR_PULL * Math.min(2, follower.change[frame]) * certainty;
      const own = weights[frame] * 0.2;
      places[frame] = (own * places[frame] + pull * lead) / (own + pull);
      weights[frame] = own + pull;
      // what the way says nearby counts for little beside it
      for (let d = -8; d <= 8; d++) {
        const k = frame + d;
        if (d && k >= 0 && k < n && weights[k] < pull) weights[k] *= 0.15;
      }
    }
    for (const { follower: f, lead } of ties) {
      const i = Math.round(f / FRAME);
      if (i < 0 || i >= n) continue;
      weights[i] = TIE_PULL;
      places[i] = lead + i * FRAME - f;
    }
    return this.drawn({ weights, places, stiffness });
  }

  /**
   * The elastic line, drawn again with less weight where it could not come near: a breath taken for one a second later, say, when a word
   * that must keep its length stands between. What most agree on stays (iteratively reweighted least squares).
   */
  private drawn(e: Elastic): Float64Array {
    const bounds = { ...SPEED, free: this.follower.silent };
    let line = elasticLine(e, FRAME, bounds);
    for (let round = 0; round < REWEIGHED; round++) {
      let far = false;
      const weights = e.weights.map((w, i) => {
        const off = Math.abs(line[i] - e.places[i]) - NEAR_ENOUGH;
        if (!w || w >= TIE_PULL || off <= 0) return w;
        far = true;
        return w / (1 + (off / NEAR_ENOUGH) ** 2);
      });
      if (!far) break;
      line = elasticLine({ ...e, weights }, FRAME, bounds);
    }
    return line;
  }

  /** Peaks of change, found again in the lead to the millisecond. */
  private anchors(way: Way, isApart: Uint8Array): Anchor[] {
    const { change } = this.follower;
    const out: Anchor[] = [];
    for (let i = 3; i < change.length - 3; i++) {
      if (Number.isNaN(way.met[i]) || isApart[i] || change[i] < EVENT) continue;
      const c = change[i];
      if (c < change[i - 1] || c <= change[i + 1] || c < change[i - 2] || c <= change[i + 2]) continue;
      const found = anchorAt(this.follower, this.lead, i * FRAME, way.met[i] * FRAME);
      if (found) out.push({ frame: i, lead: found.lead, certainty: certaintyOf(found.match) });
    }
    return out;
  }
}

/**
 * Aligns a follower with its lead: features of both, a coarse and a fine way through them by dynamic programming, anchors at events, one
 * elastic line. Methods after Sakoe and Chiba 1978, Mueller 2015 (ch. 3) and Ewert et al. 2009.
 * @param lead, follower one channel each at the same rate, from the same zero; they may differ in length
 * @throws NothingToAlign, Stopped
 */
export function alignPair(
  lead: Float32Array,
  follower: Float32Array,
  sampleRate: number,
  { pitch, ...options }: AlignOptions & { pitch?: PairPitch } = {},
): Alignment {
  const seconds = Math.max(lead.length, follower.length) / sampleRate;
  const theirs = alignFeatures(lead, sampleRate, seconds, pitch?.lead);
  const own = (stretch: number) => alignFeatures(follower, sampleRate, seconds, pitch?.follower, stretch);
  return new Aligner(featuresAlike(own, theirs), theirs).align(options);
}

function distance(a: Frames, b: Frames, i: number, j: number): number {
  let s = 0;
  for (let d = 0; d < DIMS; d++) {
    const v = a.values[i * DIMS + d] - b.values[j * DIMS + d];
    s += v * v;
  }
  return Math.sqrt(s);
}

const LEAST_REST: Seconds = 0.06;
function restsOf({ silent, frames }: AlignFeatures): Span[] {
  const out: Span[] = [];
  for (let k = 0; k < frames; k++) {
    const first = k;
    while (k < frames && silent[k]) k++;
    if ((k - first) * FRAME >= LEAST_REST) out.push({ start: first * FRAME, end: k * FRAME });
  }
  return out;
}

/** Sounding frames that have nothing to do with each other. */
function randomPairs(a: Frames, b: Frames): [number, number][] {
  const random = seededRandom(7);
  const found: [number, number][] = [];
  for (let k = 0; k < 8000 && found.length < 2000; k++) {
    const i = Math.floor(random.uniform() * a.frames);
    const j = Math.floor(random.uniform() * b.frames);
    if (!a.silent[i] && !b.silent[j]) found.push([i, j]);
  }
  return found;
}

/** Median distance of strangers. */
function strangers(a: Frames, b: Frames): number {
  const found = randomPairs(a, b).map(([i, j]) => distance(a, b, i, j));
  return found.length ? quantile(found, 0.5) : 2;
}

/** Ties in order of time; of those that cross others the later made are kept. */
export function risingTies(ties: readonly Tie[]): Tie[] {
  const kept: Tie[] = [];
  for (const t of [...ties].reverse())
    if (kept.every(k => (k.follower - t.follower) * (k.lead - t.lead) > 0))
      kept.push({ follower: t.follower, lead: t.lead });
  return kept.sort((a, b) => a.follower - b.follower);
}

/** Half the band's width at a moment: narrow at a tie, wide away from it. */
function pinched(ties: readonly Tie[], t: Seconds, half: Seconds, least: Seconds): Seconds {
  for (const q of ties) half = Math.min(half, Math.max(least, Math.abs(t - q.follower) * PINCH + 0.02));
  return half;
}

/** The line as a map of few points, ties met exactly. */
function mapOf(line: Float64Array, ties: readonly Tie[]): Meeting[] {
  const points: Meeting[] = [];
  for (let i = 0; i < line.length; i++) points.push({ from: i * FRAME, to: line[i] });
  if (!ties.length) return simplified(points, KEPT_TO);
  const tied = ties.map(t => ({ from: t.follower, to: t.lead }));
  const free = points.filter(p =>
    tied.every(t => Math.abs(p.from - t.from) > FRAME && (p.from - t.from) * (p.to - t.to) > 0),
  );
  const all = [...free, ...tied].sort((a, b) => a.from - b.from);
  return simplified(all, KEPT_TO, new Set(tied));
}
