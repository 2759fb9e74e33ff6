import { weightedMedian } from '../signal/statistics';
import { clamp, smoothStep } from '../units';
import { fitBody, FRAME, type Body, type VibratoShape, type WayShape } from './body';

const TOLERANCE = 8;
const TOLERANCE_SHARE = 0.06;
/** Frames left out at a join before the transition is known. */
const JOIN_FRAMES = 16;
const EDGE_WEIGHTS = [0.09, 0.3, 0.65, 1];
const LEAST_WAY_CENTS = 40;
const HALF_SLOPE = 200;
const NEAR_CENTS = 80;

/** Beyond its ends a slope is at most so many cents a frame, and dies away over so many frames; a vibrato fades over so many. */
const STEEPEST = 3;
const SLOPE_DIES = 6;
const VIBRATO_FADES = 20;

const STILL = new Float64Array(0);

/** A body where it ends: cents, and cents a frame outwards. */
interface End {
  slow: number;
  slope: number;
  vibrato: number;
  turn: number;
}
const RESTING: End = { slow: 0, slope: 0, vibrato: 0, turn: 0 };

/** Frames [from, to) in which the voice goes from one note to the next; half way at crossing. */
export interface Transition {
  from: number;
  to: number;
  crossing: number;
}

/**
 * One note's movement, in parts that add up to the sung line exactly:
 * line = centre + wander + vibrato + scoop + fall (+ glide at joins). Frames count from the take's start.
 */
export class NoteMovement {
  joinedIn = false;
  joinedOut = false;
  line: Float64Array = new Float64Array(0);
  transitionIn: Transition | null = null;
  transitionOut: Transition | null = null;
  centre = 0;
  bodyStart = 0;
  bodyEnd = 0;
  slow: Float64Array = new Float64Array(0);
  vibratoPart: Float64Array = new Float64Array(0);
  grain: Float64Array = new Float64Array(0);
  scoop: Float64Array = new Float64Array(0);
  fall: Float64Array = new Float64Array(0);
  /** Depth of the way in and out in cents, 0 when there is none. */
  scoopDepth = 0;
  fallDepth = 0;
  vibratoShape: VibratoShape | null = null;
  weights: Float64Array = new Float64Array(0);
  /** While the note is split. */
  private fit: Body | null = null;
  /** What is left of it afterwards. */
  private ends: [End, End] = [RESTING, RESTING];
  private first = 0;
  private last = 0;

  constructor(
    readonly start: number,
    public end: number,
  ) {}

  get length(): number {
    return this.end - this.start;
  }

  /** Slow movement and vibrato, also beyond the frames that were looked at: slope dies away, vibrato fades. */
  private bodyAt(k: number): [number, number] {
    const i = k - this.start;
    if (this.fit && i >= this.first && i <= this.last) return [this.fit.slow[i], this.fit.vibrato[i]];
    const left = i < this.first;
    const away = left ? this.first - i : i - this.last;
    const { slow, slope, vibrato, turn } = this.fit ? this.endOf(this.fit, left) : this.ends[left ? 0 : 1];
    const om = 2 * Math.PI * (this.vibratoShape?.rate ?? 0) * FRAME;
    const sway = om
      ? (vibrato * Math.cos(om * away) + (turn / om) * Math.sin(om * away)) * Math.exp(-away / VIBRATO_FADES)
      : 0;
    return [slow + slope * SLOPE_DIES * (1 - Math.exp(-away / SLOPE_DIES)), sway];
  }

  /** How the body stands at the first or last frame that was looked at, and which way it goes from there. */
  private endOf({ slow, vibrato }: Body, left: boolean): End {
    const edge = left ? this.first : this.last;
    const m = Math.min(8, this.last - this.first);
    const slope = m ? (slow[edge] - slow[left ? edge + m : edge - m]) / m : 0;
    const inward = left ? Math.min(this.length - 1, edge + 1) : Math.max(0, edge - 1);
    return {
      slow: slow[edge],
      slope: clamp(slope, -STEEPEST, STEEPEST),
      vibrato: vibrato[edge],
      turn: vibrato[edge] - vibrato[inward],
    };
  }

  private inside(k: number): boolean {
    return k >= this.start && k < this.end;
  }
  /** Slow unsteadiness and grain about the centre at frame k. */
  wanderAt(k: number): number {
    const i = k - this.start;
    return this.inside(k) ? this.slow[i] - this.centre + this.grain[i] : this.bodyAt(k)[0] - this.centre;
  }
  vibratoAt(k: number): number {
    return this.inside(k) ? this.vibratoPart[k - this.start] : this.bodyAt(k)[1];
  }
  scoopAt(k: number): number {
    return this.scoopDepth && this.inside(k) ? this.scoop[k - this.start] : 0;
  }
  fallAt(k: number): number {
    return this.fallDepth && this.inside(k) ? this.fall[k - this.start] : 0;
  }
  /** What frames [from, to) of it lie on without their vibrato; the centre where they hold nothing of it. */
  centreOver(from: number, to: number): number {
    let sum = 0;
    let count = 0;
    for (let k = Math.max(this.start, from); k < Math.min(this.end, to); k++, count++)
      sum += this.centre + this.wanderAt(k) + this.scoopAt(k) + this.fallAt(k);
    return count ? sum / count : this.centre;
  }
  /** The note as it would be alone: everything but the glide. */
  ownAt(k: number): number {
    return this.centre + this.wanderAt(k) + this.vibratoAt(k) + this.scoopAt(k) + this.fallAt(k);
  }
  /** What is left of the sung line: the glide at a join, 0 elsewhere. */
  glideAt(k: number, sung: number): number {
    return sung - this.ownAt(k);
  }

  /** Fits the body, leaving out some frames at each end. */
  fitWithout(sung: Float64Array, weights: ArrayLike<number>, leaveIn: number, leaveOut: number): void {
    const n = this.length;
    let a = leaveIn;
    let b = leaveOut;
    if (n - a - b < 6) {
      const cut = 6 - (n - a - b);
      const total = a + b || 1;
      [a, b] = [Math.max(0, Math.round(a - (cut * a) / total)), Math.max(0, Math.round(b - (cut * b) / total))];
    }
    const w = Float64Array.from({ length: n }, (_, i) => weights[this.start + i]);
    this.line = filled(sung.slice(this.start, this.end), w);
    w.fill(0, 0, a);
    w.fill(0, Math.max(0, n - b));
    for (let k = 0; k < 4 && k < n >> 2; k++) {
      if (!this.joinedIn) w[k] *= EDGE_WEIGHTS[k];
      if (!this.joinedOut) w[n - 1 - k] *= EDGE_WEIGHTS[k];
    }
    this.fit = fitBody(this.line, w, !this.joinedIn, !this.joinedOut);
    this.weights = this.fit.weights;
    this.vibratoShape = this.fit.vibratoShape;
    this.first = 0;
    while (this.first < n - 1 && !(w[this.first] > 0)) this.first++;
    this.last = n - 1;
    while (this.last > this.first && !(w[this.last] > 0)) this.last--;
  }

  /** Slow movement plus vibrato, for finding transitions. */
  movingAt(k: number): number {
    const [slow, vibrato] = this.bodyAt(k);
    return slow + vibrato;
  }

  /** Turns the fit into parts that add up to the line exactly, and finds the centre. */
  finish(): void {
    const n = this.length;
    const inside = this.transitionIn ? this.transitionIn.to - this.start : 0;
    const outside = this.transitionOut ? this.transitionOut.from - this.start : n;
    this.slow = new Float64Array(n);
    this.vibratoPart = new Float64Array(n);
    for (let i = 0; i < n; i++) [this.slow[i], this.vibratoPart[i]] = this.bodyAt(this.start + i);
    const fit = this.fit!;
    const body: number[] = [];
    for (let i = inside; i < outside; i++) if (fit.weights[i] > 0.2) body.push(this.line[i] - this.vibratoPart[i]);
    body.sort((u, v) => u - v);
    const middle = body.length ? body[body.length >> 1] : this.slow[n >> 1];
    const wayIn = n > 8 ? this.capped(fit.wayIn, 0, 1, middle) : fit.wayIn;
    const wayOut = n > 8 ? this.capped(fit.wayOut, n - 1, -1, middle) : fit.wayOut;
    const scoop = this.part(wayIn, [new Float64Array(n)]);
    this.scoop = scoop.part;
    this.scoopDepth = scoop.depth;
    const fall = this.part(wayOut, [this.scoop]);
    this.fall = fall.part;
    this.fallDepth = fall.depth;
    this.grain = Float64Array.from({ length: n }, (_, i) => {
      let t = 1;
      if (this.transitionIn) t = Math.min(t, Math.max(0, (i - inside + 1) / 6));
      if (this.transitionOut) t = Math.min(t, Math.max(0, (outside - i) / 6));
      return t * (this.line[i] - this.slow[i] - this.vibratoPart[i] - this.scoop[i] - this.fall[i]);
    });
    const inEnd = this.scoopDepth ? lastBeyond(wayIn!, 1) : inside;
    const outStart = this.fallDepth ? n - lastBeyond(wayOut!, -1) : outside;
    this.findCentre(inEnd, outStart, inside, outside);
    // a long take has hundreds of notes, and most have neither way: what is no longer asked for is given up
    if (!this.scoopDepth) this.scoop = STILL;
    if (!this.fallDepth) this.fall = STILL;
    this.line = this.weights = STILL;
    this.ends = [this.endOf(fit, true), this.endOf(fit, false)];
    this.fit = null;
  }

  /** A way deeper than what the first (or last) frames show is cut to that: huge opposite pairs fit well and mean nothing. */
  private capped(way: WayShape | null, edge: number, step: number, middle: number): WayShape | null {
    if (!way) return null;
    const four = [0, 1, 2, 3]
      .map(j => this.line[edge + step * j] - this.vibratoPart[edge + step * j] - middle)
      .sort((u, v) => u - v);
    const seen = ((four[1] + four[2]) / 2) * Math.sign(way.depth) * 1.25 + 12;
    return seen < Math.abs(way.depth) ? { ...way, depth: Math.sign(way.depth) * Math.max(0, seen) } : way;
  }

  /** The line's own movement under a way's shape; a way too small to be one is left to the slow part. */
  private part(way: WayShape | null, others: Float64Array[]): { part: Float64Array; depth: number } {
    const n = this.length;
    const part = new Float64Array(n);
    if (!way) return { part, depth: 0 };
    if (Math.abs(way.depth) < LEAST_WAY_CENTS) {
      for (let i = 0; i < n; i++) this.slow[i] += way.depth * way.shape[i];
      return { part, depth: 0 };
    }
    for (let i = 0; i < n; i++) {
      const share = smoothStep((Math.abs(way.depth * way.shape[i]) - 4) / 12);
      part[i] = share * (this.line[i] - this.slow[i] - this.vibratoPart[i] - others.reduce((s, o) => s + o[i], 0));
    }
    return { part, depth: way.depth };
  }

  /** Weighted median, then weighted mean near it, over the slow line of the body; steady frames count more. */
  private findCentre(inEnd: number, outStart: number, inside: number, outside: number): void {
    const n = this.length;
    // a transition may end before the border that was drawn, or begin after it
    let a = clamp(inEnd, 0, n - 1);
    let b = Math.max(outStart, a + 1);
    if (b - a < 4) {
      a = clamp(inside, 0, n - 1);
      b = Math.max(a + 1, outside);
    }
    b = Math.min(b, n);
    this.bodyStart = this.start + a;
    this.bodyEnd = this.start + b;
    const pairs: [number, number][] = [];
    for (let k = a; k < b; k++) {
      const slope = Math.abs(this.slow[Math.min(n - 1, k + 2)] - this.slow[Math.max(0, k - 2)]) / (4 * FRAME);
      pairs.push([this.slow[k], this.weights[k] / (1 + (slope / HALF_SLOPE) ** 2) + 1e-6]);
    }
    const middle = weightedMedian(pairs);
    let sum = 0;
    let total = 0;
    for (const [v, w] of pairs) {
      if (Math.abs(v - middle) >= NEAR_CENTS) continue;
      sum += v * w;
      total += w;
    }
    this.centre = sum / total;
  }
}

/** Frames from the edge over which a way stands out by more than 4 cents. */
function lastBeyond(way: WayShape, side: 1 | -1): number {
  const n = way.shape.length;
  let k = 0;
  while (k < n && Math.abs(way.depth * way.shape[side > 0 ? k : n - 1 - k]) > 4) k++;
  return k;
}

/** Unsung frames take the last sung value, or the next where there is none before. */
function filled(y: Float64Array, w: Float64Array): Float64Array {
  let last = NaN;
  for (let k = 0; k < y.length; k++) {
    if (w[k] > 0) last = y[k];
    else y[k] = last;
  }
  last = 0;
  for (let k = y.length - 1; k >= 0; k--) {
    if (Number.isNaN(y[k])) y[k] = last;
    else last = y[k];
  }
  return y;
}

/** Frames [start, end). */
export interface FrameSpan {
  start: number;
  end: number;
}

/** Frames to either side of a border that tell whether two notes are joined. */
export const JOIN_REACH = 3;
const MOST_HOLES = 2;

function joined(a: FrameSpan, b: FrameSpan, weights: ArrayLike<number>): boolean {
  if (b.start - a.end > MOST_HOLES || b.start <= a.start) return false;
  let holes = 0;
  for (let k = b.start - JOIN_REACH; k < b.start + JOIN_REACH; k++) if (!(weights[k] > 0)) holes++;
  return holes <= MOST_HOLES;
}

/** Notes that hang together, as [from, to) of the list: how one is split tells on its neighbours. */
export function chainsOf(weights: ArrayLike<number>, notes: readonly FrameSpan[]): [number, number][] {
  const out: [number, number][] = [];
  notes.forEach((n, i) => {
    if (i && joined(notes[i - 1], n, weights)) out[out.length - 1][1] = i + 1;
    else out.push([i, i + 1]);
  });
  return out;
}

/**
 * Splits the notes of a take. A note is joined to the one before when at most two unsung frames lie between.
 * @param sung cents per frame; any value where weight is 0
 * @param weights 0..1 per frame; 0 where nothing is sung
 * @param notes in order, not overlapping
 */
export function splitNotes(
  sung: Float64Array,
  weights: ArrayLike<number>,
  notes: readonly FrameSpan[],
): NoteMovement[] {
  const out: NoteMovement[] = [];
  for (const span of notes) {
    const note = new NoteMovement(span.start, span.end);
    const before = out[out.length - 1];
    if (before && joined(before, span, weights)) {
      note.joinedIn = before.joinedOut = true;
      before.end = span.start;
    }
    out.push(note);
  }
  for (const o of out)
    o.fitWithout(
      sung,
      weights,
      o.joinedIn ? Math.min(JOIN_FRAMES, Math.floor(o.length * 0.4)) : 0,
      o.joinedOut ? Math.min(4, Math.floor(o.length * 0.15)) : 0,
    );
  for (let pass = 0; pass < 2; pass++) {
    for (let i = 1; i < out.length; i++) if (out[i].joinedIn) findTransition(out[i - 1], out[i], sung, weights);
    if (pass) break;
    for (const o of out) {
      if (!o.transitionIn && !o.transitionOut) continue;
      o.fitWithout(
        sung,
        weights,
        o.transitionIn ? Math.max(0, o.transitionIn.to - o.start) : 0,
        o.transitionOut ? Math.max(0, o.end - o.transitionOut.from) : 0,
      );
    }
  }
  for (const o of out) o.finish();
  return out;
}

/** Where the line is outside either body: the transition owns the border, not the edge that was drawn. */
function findTransition(a: NoteMovement, b: NoteMovement, sung: Float64Array, weights: ArrayLike<number>): void {
  const border = b.start;
  const low =
    a.joinedIn && a.transitionIn ? Math.max(a.transitionIn.to + 1, a.start + 1) : a.start + Math.min(4, a.length >> 1);
  const high = b.start + Math.max(3, Math.floor(b.length * 0.6));
  const leap = Math.abs(b.movingAt(border + 6) - a.movingAt(border - 2));
  const tolerance = Math.max(TOLERANCE, TOLERANCE_SHARE * leap);
  const side = (k: number) =>
    (sung[k] - (a.movingAt(k) + b.movingAt(k)) / 2) * Math.sign(b.movingAt(k) - a.movingAt(k));
  let crossing = border;
  let nearest = Infinity;
  for (let k = Math.max(low, border - 20); k < Math.min(high, border + 30); k++) {
    if (!(weights[k] > 0) || side(k) > 0 || side(k + 1) <= 0) continue;
    const away = Math.abs(k - border - 6);
    if (away < nearest) {
      nearest = away;
      crossing = k;
    }
  }
  let from = Math.max(low, Math.min(crossing, high - 2));
  let to = Math.max(from + 1, Math.min(crossing + 1, high - 1));
  let near = 0;
  for (; from > low && near < 3 && crossing - from < 40; from--)
    near = !(weights[from] > 0) || Math.abs(sung[from] - a.movingAt(from)) <= tolerance ? near + 1 : 0;
  from = Math.min(from + near, crossing);
  near = 0;
  for (; to < high && near < 4 && to - crossing < 50; to++)
    near = !(weights[to] > 0) || Math.abs(sung[to] - b.movingAt(to)) <= tolerance ? near + 1 : 0;
  to = Math.max(to - near, from + 1);
  const need = leap < 60 ? 24 : leap < 120 ? 16 : 8;
  if (to - from < need) {
    from = Math.max(low, from - ((need - (to - from)) >> 1));
    to = Math.max(from + 1, Math.min(high, from + need));
  }
  b.transitionIn = a.transitionOut = { from, to, crossing };
}
