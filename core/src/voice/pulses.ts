import { hzToCents } from '../units';
import type { PitchedSegment } from './epochs';
import { pulseLength } from './fine';
import type { PlanCurves } from './plan';
import { reachAt, weighedWithin } from './run-sound';
import type { Rise } from './rises';
import type { TimeLine } from './timeline';

/** Steps a period in which the asked ratio is integrated. */
const STEPS = 4;
const FEWEST_EPOCHS = 3;
/** Epochs a join must keep from the ends and from the join before it. */
const JOIN_APART = 5;
/** A join is met in phase when that bends the pitch between by no more than this where the pitch is held, cents. */
const JOIN_BEND = 1;
/**
 * Where the pitch moves this fast (cents a second) it may be bent twice as much as where it is held, and at most so many times as much.
 * Chosen by measurement (bench: landing); an object, so that the bench can try others.
 */
export const landing = { easySlope: 800, easiest: 8 };
/** A murmur may be bent by so many cents a decibel it lies under what follows beyond the first, and by no more than the last. */
const HIDDEN_BEND = 60;
const SHALLOW = 3;
const MOST_HIDDEN_BEND = 500;
/** Near the ends of an edit the pitch is not bent, s. */
const EDGE_SECONDS = 0.03;
/** Most pulses an epoch: two octaves up. */
const MOST_PULSES = 4.2;
const CENTS_A_PERIOD = 1200 / Math.LN2;

/** The pulses of a run, laid out. Output samples. */
export interface Laid {
  /** How many there are; the arrays may have room for more. */
  count: number;
  /** Places of the pulses, rising. */
  at: Float64Array;
  /** The source samples they stand for. */
  source: Float64Array;
  /** The epochs nearest to those. */
  epoch: Int32Array;
  /** Numbers of the pulses at which the run stands in phase with the epochs, whatever is asked on the other side. */
  anchors: number[];
  /** How far before and after its place a pulse may sound, at most. */
  ahead: number;
  behind: number;
  /** How far a pulse may change the loudness of others. */
  weighed: number;
  /** What the pulses replace: faded in over [u0, u1], out over [v0, v1]. */
  u0: number;
  u1: number;
  v0: number;
  v1: number;
}

/** A stretch of pitched sound that is made anew. Its pulses are laid when they are first needed. */
export class Run {
  private known: Laid | null | undefined;

  /**
   * @param f0 the sung pitch line, Hz a frame
   * @param firstFrame frames of the plan that are edited, within the segment; @param lastFrame the last one excluded
   */
  constructor(
    readonly segment: PitchedSegment,
    readonly curves: PlanCurves,
    private readonly line: TimeLine,
    private readonly f0: ArrayLike<number>,
    private readonly sampleRate: number,
    readonly firstFrame: number,
    readonly lastFrame: number,
  ) {}

  /** Null when there are too few periods to do anything with: the sound stays as sung. */
  get laid(): Laid | null {
    return this.known === undefined ? (this.known = this.lay()) : this.known;
  }

  /** Output samples it may reach, without laying it out. */
  get bounds(): [number, number] {
    const step = this.curves.plan.hop * this.sampleRate;
    const longest = (k: number) => (this.f0[k] > 0 ? (3 * this.sampleRate) / this.f0[k] : 0) + 2 * step;
    return [
      Math.floor(this.line.forward(this.firstFrame * step) - longest(this.firstFrame)),
      Math.ceil(this.line.forward(this.lastFrame * step) + longest(this.lastFrame - 1)),
    ];
  }

  /**
   * Pulse n stands where the integral of the ratio over the epochs' own phase passes n: curves are met exactly and the singer's jitter
   * stays. Where the voice goes on untouched the last pulse must meet its epoch, and the phase missed, at most half a period, is spread
   * over what came before, most of it where the pitch moves. The same is done at joins of notes where it costs next to nothing.
   */
  private lay(): Laid | null {
    const { segment, curves, line, sampleRate } = this;
    const { epochs, periods } = segment;
    const m = epochs.length;
    const frameOf = (k: number) =>
      Math.max(segment.firstFrame, Math.min(segment.lastFrame - 1, curves.frame(epochs[k])));
    let first = 0;
    while (first < m && frameOf(first) < this.firstFrame) first++;
    let end = first;
    while (end < m && frameOf(end) < this.lastFrame) end++;
    const lands = end < m;
    const last = lands ? end : m - 1;
    if (last - first < FEWEST_EPOCHS - 1) return null;

    const knots = new PhaseKnots(segment, curves, line, this.f0, sampleRate, first, last, lands);
    const anchors = knots.meet(this.stops(first, last, lands));

    const at: number[] = [];
    const source: number[] = [];
    const epoch: number[] = [];
    let near = first;
    knots.eachPulse(t => {
      while (near < m - 1 && Math.abs(epochs[near + 1] - t) <= Math.abs(epochs[near] - t)) near++;
      at.push(line.forward(t));
      source.push(t);
      epoch.push(near);
    });
    const n = at.length;
    const before = first > 0 ? epochs[first] - epochs[first - 1] : periods[0];
    const after = lands && last < m - 1 ? epochs[last + 1] - epochs[last] : periods[epoch[n - 1]];
    let longest = 0;
    let widest = 0;
    let reach = 0;
    for (let k = first; k <= last; k++) {
      widest = Math.max(
        widest,
        periods[k],
        k > 0 ? epochs[k] - epochs[k - 1] : 0,
        k + 1 < m ? epochs[k + 1] - epochs[k] : 0,
      );
      longest = Math.max(longest, periods[k] * Math.max(1, 1 / curves.formantRatio(epochs[k])));
      reach = Math.max(reach, reachAt(periods[k], curves.ratio(epochs[k])).output);
    }
    const length = pulseLength(longest);
    return {
      count: n,
      at: Float64Array.from(at),
      source: Float64Array.from(source),
      epoch: Int32Array.from(epoch),
      anchors,
      // a pulse made anew begins a quarter of its length before its place, a grain of the recording a period before
      ahead: Math.max(length / 4, widest) + 8,
      behind: Math.max((3 * length) / 4, widest) + 8,
      weighed: weighedWithin(reach),
      u0: at[0] - before,
      u1: at[0],
      v0: at[n - 1],
      v1: at[n - 1] + after,
    };
  }

  /** Where the run is to stand in phase with its epochs, in order: joins of notes, openings of the voice, and where it goes on untouched. */
  private stops(first: number, last: number, lands: boolean): Stop[] {
    const { segment, curves } = this;
    const stops = this.joinEpochs(first, last).map((epoch): Stop => ({ epoch }));
    // what is sung live is laid before it is known what will be asked where it opens
    if (!curves.plan.live)
      for (const rise of segment.rises)
        if (rise.epoch > first && rise.epoch < last) stops.push({ epoch: rise.epoch, rise });
    stops.sort((a, b) => a.epoch - b.epoch);
    if (lands) stops.push({ epoch: last, lands });
    return stops;
  }

  /** The epochs nearest to where joined notes meet, well inside. */
  private joinEpochs(first: number, last: number): number[] {
    const { epochs } = this.segment;
    const out: number[] = [];
    let k = first;
    for (const t of this.curves.joinsBetween(epochs[first], epochs[last])) {
      while (k < last && Math.abs(epochs[k + 1] - t) <= Math.abs(epochs[k] - t)) k++;
      if (k - (out[out.length - 1] ?? first) >= JOIN_APART && last - k >= JOIN_APART) out.push(k);
    }
    return out;
  }
}

/** What of a slip is hidden in a murmur: from which knot on, by how many cents it is bent there, and by how many it may be. */
interface Quiet {
  begin: number;
  slip: number;
  cents: number;
  most: number;
}

/** An epoch at which a run is to stand in phase. */
interface Stop {
  epoch: number;
  rise?: Rise;
  /** The voice goes on untouched: it must. */
  lands?: boolean;
}

/** The integral of the asked ratio over a run's epochs, at fixed places, bent so that it meets whole numbers where it must. */
class PhaseKnots {
  private readonly t: Float64Array;
  private readonly phase: Float64Array;
  /** The same before it was bent. */
  private readonly asked: Float64Array;
  /** How willingly the pitch is bent up to here; only differences count. */
  private readonly ease: Float64Array;

  constructor(
    segment: PitchedSegment,
    curves: PlanCurves,
    line: TimeLine,
    f0: ArrayLike<number>,
    sampleRate: number,
    private readonly first: number,
    last: number,
    lands: boolean,
  ) {
    const { epochs, periods } = segment;
    // a run that ends with its voice goes a quarter of a period beyond the last epoch
    const count = (last - first) * STEPS + (lands ? 0 : 1);
    const t = (this.t = new Float64Array(count + 1));
    const phase = (this.phase = new Float64Array(count + 1));
    const ease = (this.ease = new Float64Array(count + 1));
    const from = epochs[first];
    const to = epochs[last];
    const step = curves.plan.hop * sampleRate;
    const edge = EDGE_SECONDS * sampleRate;
    t[0] = from;
    for (let i = 0; i < count; i++) {
      const k = first + Math.floor(i / STEPS);
      const width = (k < last ? epochs[k + 1] - epochs[k] : periods[last]) / STEPS;
      const middle = t[i] + width / 2;
      const slope = slopeAt(f0, middle / step, segment) / curves.plan.hop + offsetSlope(curves, middle, step);
      const advance = phaseOf(curves, line, t[i], width);
      const inside = Math.max(0, Math.min(1, (middle - from) / edge, (to - middle) / edge));
      t[i + 1] = i % STEPS === STEPS - 1 && k < last ? epochs[k + 1] : t[i] + width;
      phase[i + 1] = phase[i] + advance;
      ease[i + 1] = ease[i] + advance * inside * Math.min(landing.easiest, 1 + slope / landing.easySlope);
    }
    this.asked = phase.slice();
  }

  /**
   * Brings the phase to whole numbers at stops, where that bends the pitch little; where the run lands always. @returns the phases met
   */
  meet(stops: readonly Stop[]): number[] {
    const { phase } = this;
    const met: number[] = [];
    let from = 0;
    let moved = 0;
    stops.forEach((stop, i) => {
      const k = this.knot(stop);
      const slip = this.slipTo(k, phase[from], moved);
      const quiet = stop.rise ? this.quietBefore(k, stop.rise, from, slip) : null;
      if (!stop.lands && (quiet ? quiet.cents > quiet.most : this.bendOf(slip, from, k) > JOIN_BEND)) return;
      const next = stops[i + 1];
      // a landing that comes soon after would make up in what is heard for what was hidden here
      if (quiet && next?.lands) {
        const end = this.knot(next);
        const after = this.bendOf(this.slipTo(end, phase[k] + moved + slip, moved + slip), k, end);
        if (after > Math.max(JOIN_BEND, this.bendOf(this.slipTo(end, phase[from], moved), from, end))) return;
      }
      this.spread(slip, from, k, moved, quiet);
      moved += slip;
      from = k;
      met.push(Math.round(phase[k]));
    });
    for (let j = from + 1; j < phase.length; j++) phase[j] += moved;
    return met;
  }

  private knot(stop: Stop): number {
    return (stop.epoch - this.first) * STEPS;
  }

  /** Periods missing to a whole number at a knot. @param before the phase last met @param moved what was added up to there */
  private slipTo(k: number, before: number, moved: number): number {
    const phase = this.phase[k] + moved;
    return Math.max(before + 1, Math.round(phase)) - phase;
  }

  /** By how many cents a slip spread between two knots bends the pitch where it is held. */
  private bendOf(slip: number, from: number, to: number): number {
    const room = this.ease[to] - this.ease[from];
    return room > 0 ? (CENTS_A_PERIOD * Math.abs(slip)) / room : Infinity;
  }

  /** What of a slip goes into the murmur before an opening, and what that bends it by. */
  private quietBefore(k: number, { quietFrom, depth }: Rise, from: number, slip: number): Quiet {
    const room = this.ease[k] - this.ease[from];
    const heard = Math.min(Math.abs(slip), (room * JOIN_BEND) / CENTS_A_PERIOD);
    const begin = Math.max(from, (quietFrom - this.first) * STEPS);
    const hidden = slip - Math.sign(slip) * heard;
    const periods = this.asked[k] - this.asked[begin];
    return {
      begin,
      slip: hidden,
      cents: (CENTS_A_PERIOD * Math.abs(hidden)) / Math.max(periods, 1e-9),
      most: Math.min(MOST_HIDDEN_BEND, HIDDEN_BEND * (depth - SHALLOW)),
    };
  }

  /** Spreads a slip over the knots since the one met last; what is hidden in a murmur over that alone. */
  private spread(slip: number, from: number, to: number, moved: number, quiet: Quiet | null): void {
    const { phase, asked, ease } = this;
    const heard = slip - (quiet?.slip ?? 0);
    const room = ease[to] - ease[from];
    const begin = quiet?.begin ?? to;
    const periods = asked[to] - asked[begin];
    const whole = Math.round(phase[to] + moved + slip);
    for (let j = from + 1; j <= to; j++) {
      const hidden = j > begin && periods > 0 ? (quiet!.slip * (asked[j] - asked[begin])) / periods : 0;
      phase[j] += moved + heard * (room > 0 ? (ease[j] - ease[from]) / room : (j - from) / (to - from)) + hidden;
    }
    phase[to] = whole;
  }

  /** Calls with the source sample of each pulse. */
  eachPulse(put: (t: number) => void): void {
    const { t, phase } = this;
    let wanted = 0;
    for (let i = 0; i + 1 < t.length; i++)
      for (; wanted < phase[i + 1] - 1e-9; wanted++)
        put(t[i] + ((t[i + 1] - t[i]) * (wanted - phase[i])) / (phase[i + 1] - phase[i]));
    if (wanted <= phase[phase.length - 1] + 1e-9) put(t[t.length - 1]);
  }
}

/** Output periods that pass while a step's share of a sung one does. @param t source sample at which the step begins @param width its length */
const phaseOf = (curves: PlanCurves, line: TimeLine, t: number, width: number): number =>
  (((line.forward(t + width) - line.forward(t)) / width) * curves.ratio(t + width / 2)) / STEPS;

/**
 * The pulses of a whole segment laid bit by bit, as far as the plan is known. Where nothing lands and notes are not joined they are the
 * very pulses that Run lays. No allocation after it is made.
 */
export class GrowingRun {
  readonly laid: Laid;
  private step = 0;
  private t: number;
  private phase = 0;
  private wanted = 0;
  private near = 0;

  constructor(
    readonly segment: PitchedSegment,
    readonly curves: PlanCurves,
    private readonly line: TimeLine,
  ) {
    const { epochs, periods } = segment;
    const room = Math.ceil(epochs.length * MOST_PULSES) + 8;
    let longest = 0;
    for (const p of periods) longest = Math.max(longest, p);
    // room for formants an octave down
    const length = pulseLength(2 * longest);
    this.t = epochs[0];
    this.laid = {
      count: 0,
      at: new Float64Array(room),
      source: new Float64Array(room),
      epoch: new Int32Array(room),
      anchors: [0],
      ahead: Math.max(length / 4, 2 * longest) + 8,
      behind: Math.max((3 * length) / 4, 2 * longest) + 8,
      weighed: 0,
      u0: line.forward(epochs[0]) - periods[0],
      u1: line.forward(epochs[0]),
      v0: Infinity,
      v1: Infinity,
    };
  }

  /** Source sample up to which pulses are laid; Infinity when they all are. */
  get reached(): number {
    return this.laid.v0 < Infinity ? Infinity : this.t;
  }

  /** Lays on until a source sample is passed. The plan must be known to two periods beyond it. */
  layTo(source: number): void {
    const { epochs, periods } = this.segment;
    const { laid } = this;
    const last = epochs.length - 1;
    while (this.reached <= source) {
      const k = Math.floor(this.step / STEPS);
      const width = (k < last ? epochs[k + 1] - epochs[k] : periods[last]) / STEPS;
      const passed = this.phase + phaseOf(this.curves, this.line, this.t, width);
      const next = this.step % STEPS === STEPS - 1 && k < last ? epochs[k + 1] : this.t + width;
      for (; this.wanted < passed - 1e-9; this.wanted++)
        this.put(this.t + ((next - this.t) * (this.wanted - this.phase)) / (passed - this.phase));
      this.phase = passed;
      this.t = next;
      this.step++;
      if (k < last) continue;
      // a quarter of a period beyond the last epoch it ends, as Run does
      if (this.wanted <= this.phase + 1e-9) this.put(this.t);
      laid.v0 = laid.at[laid.count - 1];
      laid.v1 = laid.v0 + periods[laid.epoch[laid.count - 1]];
    }
  }

  private put(t: number): void {
    const { epochs } = this.segment;
    const { laid } = this;
    if (laid.count === laid.at.length) return;
    while (this.near < epochs.length - 1 && Math.abs(epochs[this.near + 1] - t) <= Math.abs(epochs[this.near] - t))
      this.near++;
    laid.at[laid.count] = this.line.forward(t);
    laid.source[laid.count] = t;
    laid.epoch[laid.count++] = this.near;
  }
}

/** Movement of the sung pitch about a fractional frame, cents a frame. */
function slopeAt(f0: ArrayLike<number>, frame: number, s: PitchedSegment): number {
  const a = Math.max(s.firstFrame, Math.round(frame) - 2);
  const b = Math.min(s.lastFrame - 1, Math.round(frame) + 2);
  return b > a ? Math.abs(hzToCents(f0[b]) - hzToCents(f0[a])) / (b - a) : 0;
}

/** Movement of the asked change, cents a second. */
const offsetSlope = (curves: PlanCurves, t: number, step: number): number =>
  Math.abs(curves.offset(t + step) - curves.offset(t - step)) / (2 * curves.plan.hop);
