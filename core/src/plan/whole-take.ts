import { midline, runsOf } from '../read';
import { stepPut, stepSung, type Scale } from '../music';
import { smoothStep, type Cents } from '../units';
import { JointSmoother } from './body';
import type { FrameSpan } from './movement';
import type { SplitTake } from './split';

/** How far and how long a line may stray before it counts as another step. */
export interface Slack {
  cents: number;
  ms: number;
}
export const USUAL_SLACK: Slack = { cents: 20, ms: 80 };

/** How a line is drawn to its steps. */
export interface Settling {
  /** Time constant with which the voice reaches its rail, ms. */
  settleMs: number;
  /** 0..1 */
  aim: number;
  /** Vibrato kept, 0..2: the correction then follows the line without it. */
  vibrato: number;
  /** Length of the way from one step to the next, ms; null: as quick as it settles. */
  glideMs: number | null;
}

/** A stretch of a take that is tuned without notes. */
export interface WholeSpan extends FrameSpan {
  settling: Settling;
  slack: Slack;
  scaleAt: (frame: number) => Scale;
  /** The melody it is drawn to instead of the scale's steps; left as sung where that has no note. */
  guide?: readonly GuideSpan[];
}

/** A guide's note, frames. */
export interface GuideSpan extends FrameSpan {
  cents: Cents;
  /** Meant in the octave that is sung. */
  fold: boolean;
}

/** Frames of 5 ms. */
const FRAME_MS = 5;

type Lines = Pick<SplitTake, 'sung' | 'voiced'>;

/** The sung line drawn to its steps within some stretches. @param spans in order, not overlapping @returns cents a frame */
export function wholeLine(take: Lines, spans: readonly WholeSpan[]): Float64Array {
  const line = Float64Array.from(take.sung);
  for (const run of spans.length ? voicedRuns(take) : []) {
    const asks = new Array<Ask | undefined>(run.end - run.start);
    for (const span of spans) {
      if (span.end <= run.start || span.start >= run.end) continue;
      const steps = stepsOfRun(run, span);
      for (let k = Math.max(run.start, span.start); k < Math.min(run.end, span.end); k++) {
        const i = k - run.start;
        // one thing asked of many frames is one object
        const last = asks[i - 1];
        const same = last && last.settling === span.settling && Object.is(last.step, steps[i]);
        asks[i] = same ? last : { step: steps[i], settling: span.settling };
      }
    }
    if (asks.some(a => a)) settleLine(line, take, run, asks);
  }
  return line;
}

/** Where a stretch of a voiced run goes from one step to the next. */
export interface StepRun extends FrameSpan {
  /** Where it is put; NaN where it is left as sung. */
  put: Cents;
}

/** The steps a take's stretches belong to, from frame to frame of those voiced between two frames. */
export function stepRuns(take: Lines, span: Omit<WholeSpan, 'settling'>): StepRun[] {
  return voicedRuns(take).flatMap(run => {
    const [from, to] = [Math.max(run.start, span.start), Math.min(run.end, span.end)];
    const out: StepRun[] = [];
    if (to <= from) return out;
    const steps = stepsOfRun(run, span);
    for (let k = from; k < to; k++) {
      const put = steps[k - run.start];
      const last = out[out.length - 1] as StepRun | undefined;
      if (last && Object.is(last.put, put)) last.end = k + 1;
      else out.push({ start: k, end: k + 1, put });
    }
    return out;
  });
}

const stepsOfRun = (run: VoicedRun, { scaleAt, slack, guide }: Omit<WholeSpan, 'settling'>): Cents[] => {
  if (guide) return followGuide(run, guide, slack);
  const scale = scaleAt(run.start);
  // while a fader moves these stay the same, though what is asked came anew
  const of = JSON.stringify([scale, slack]);
  if (run.known?.of !== of) run.known = { of, steps: stepsPut(run.middle, scale, slack) };
  return run.known.steps;
};

function stepsPut(middle: Float64Array, scale: Scale, slack: Slack): Cents[] {
  const steps = followSteps(middle, scale, slack);
  if (!scale.rules) return steps;
  const put = new Map(steps.map(s => [s, NaN]));
  for (const s of put.keys()) put.set(s, stepPut(scale, s));
  return steps.map(s => put.get(s)!);
}

/** What is asked of a frame; the same object while it is the same. */
export interface Ask {
  /** NaN: left as sung. */
  step: Cents;
  settling: Settling;
}

/** A stretch that is sung without a break. */
interface VoicedRun extends FrameSpan {
  /** The line without the swings of its vibrato, as steps are told by it. */
  middle: Float64Array;
  /** The steps found last. */
  known?: { of: string; steps: Cents[] };
}

const runsKnown = new WeakMap<Float64Array, VoicedRun[]>();
function voicedRuns({ sung, voiced }: Lines): VoicedRun[] {
  let runs = runsKnown.get(sung);
  if (!runs) {
    runs = runsOf(voiced).map(([start, end]) => ({ start, end, middle: midline(sung.slice(start, end)) }));
    runsKnown.set(sung, runs);
  }
  return runs;
}

/** Learns what drawing a take as a whole needs to know of it, a run a step, so that it is there when it is asked for. */
export function* learnLines(take: Lines): Generator<void, void> {
  for (const run of voicedRuns(take)) {
    slowOf(take.sung, run);
    yield;
  }
}

const slowKnown = new WeakMap<Float64Array, Map<string, Float64Array>>();
/** The sung line of a stretch less its vibrato; found once. */
function slowOf(sung: Float64Array, { start, end }: FrameSpan): Float64Array {
  const known = slowKnown.get(sung) ?? new Map<string, Float64Array>();
  slowKnown.set(sung, known);
  const name = `${start} ${end}`;
  let slow = known.get(name);
  if (!slow) known.set(name, (slow = end - start > 6 ? slowLine(sung.slice(start, end)) : sung.slice(start, end)));
  return slow;
}

/**
 * Draws one voiced stretch to what is asked of its frames: the correction is approached with a time constant, at once after a rest, and
 * let go with it where nothing is asked.
 */
export function settleLine(
  line: Float64Array,
  { sung }: Pick<Lines, 'sung'>,
  run: FrameSpan,
  asks: readonly (Ask | undefined)[],
): void {
  const slow = slowOf(sung, run);
  const steps = glided(asks);
  let held = NaN;
  let pace = 1;
  for (let i = 0; i < asks.length; i++) {
    const k = run.start + i;
    const ask = asks[i];
    let wanted = 0;
    let more = 0;
    if (ask) {
      const { settleMs, aim, vibrato } = ask.settling;
      pace = settleMs > 0 ? 1 - Math.exp(-FRAME_MS / settleMs) : 1;
      const swing = sung[k] - slow[i];
      const base = slow[i] + swing * (1 - Math.min(1, vibrato));
      if (!Number.isNaN(steps[i])) wanted = aim * (steps[i] - base);
      more = Math.max(0, vibrato - 1) * swing;
    }
    held = Number.isNaN(held) ? wanted : held + pace * (wanted - held);
    line[k] = sung[k] + held + more;
  }
}

/** The steps asked for, with ways between them that take as long as is asked of the later one. */
function glided(asks: readonly (Ask | undefined)[]): Float64Array {
  const steps = Float64Array.from(asks, a => a?.step ?? NaN);
  const out = steps.slice();
  const changes: number[] = [0];
  for (let i = 1; i < steps.length; i++) if (!Object.is(steps[i], steps[i - 1])) changes.push(i);
  changes.push(steps.length);
  for (let c = 1; c + 1 < changes.length; c++) {
    const at = changes[c];
    const [from, to] = [steps[at - 1], steps[at]];
    const { glideMs } = asks[at]?.settling ?? { glideMs: null };
    if (!glideMs || Number.isNaN(from) || Number.isNaN(to)) continue;
    // no further than half way to the next change on either side
    const room = Math.min((at - changes[c - 1]) / 2, (changes[c + 1] - at) / 2);
    const half = Math.min(glideMs / FRAME_MS / 2, room);
    for (let i = Math.ceil(at - half); i < at + half; i++)
      out[i] = from + (to - from) * smoothStep((i - at + half) / (2 * half));
  }
  return out;
}

/**
 * The step each frame belongs to, before what is said about it. A stray becomes another step once the midline has been beyond half way
 * by slack.cents for slack.ms; the change is dated back to where the line crossed.
 */
export function followSteps(middle: Float64Array, scale: Scale, slack: Slack): Cents[] {
  const need = Math.max(1, Math.round(slack.ms / FRAME_MS));
  const n = middle.length;
  const near = Array.from(middle, c => stepSung(scale, c));
  const vote = (a: number, b: number) => {
    const counts = new Map<number, number>();
    for (let i = a; i < b; i++) counts.set(near[i], (counts.get(near[i]) ?? 0) + 1);
    return [...counts].sort((p, q) => q[1] - p[1])[0][0];
  };
  let current = vote(0, Math.min(n, need));
  let since = -1;
  const out: Cents[] = [];
  for (let i = 0; i < n; i++) {
    const beyond =
      near[i] !== current && (middle[i] - (current + near[i]) / 2) * Math.sign(near[i] - current) > slack.cents;
    if (!beyond) since = -1;
    else if (since < 0) since = i;
    if (beyond && i - since + 1 >= need) {
      const next = vote(since, i + 1);
      let from = since;
      while (
        from > 0 &&
        out[from - 1] === current &&
        (middle[from - 1] - (current + next) / 2) * Math.sign(next - current) > 0
      )
        from--;
      for (let k = from; k < i; k++) out[k] = next;
      current = next;
      since = -1;
    }
    out.push(current);
  }
  return withoutWays(out, middle, need);
}

/** A way in or out is no longer than this, and moves further than a note that is meant, frames and cents. */
const LONGEST_WAY = 32;
const LEAST_WAY: Cents = 60;
/** A change is dated back, so that what came before it may be shorter than what it took to believe it; by so much at most. */
const LEAST_PASSED = 0.6;

/**
 * What is no step of its own: what lasts less than a stray may, as where a glide passes a step on its way, and what a run begins or ends
 * with while the voice is still coming or already going. It belongs to the note it leads to, at the end to the one it leads from.
 */
function withoutWays(steps: Cents[], middle: Float64Array, need: number): Cents[] {
  const n = steps.length;
  const moves = (a: number, b: number) => {
    const part = middle.subarray(a, b);
    return Math.max(...part) - Math.min(...part) > LEAST_WAY;
  };
  const edges = [0];
  for (let i = 1; i < n; i++) if (steps[i] !== steps[i - 1]) edges.push(i);
  edges.push(n);
  // from the end, so that what is passed on the way goes along with what it is passed to
  for (let e = edges.length - 2; e >= 0; e--) {
    const [from, to] = [edges[e], edges[e + 1]];
    const length = to - from;
    const outer = from === 0 || to === n;
    const own = outer
      ? length >= need && !(length <= LONGEST_WAY && moves(from, to))
      : length >= need || (length >= LEAST_PASSED * need && !moves(from, to));
    if (length === n || own) continue;
    steps.fill(to < n ? steps[to] : steps[from - 1], from, to);
  }
  return steps;
}

/** How much earlier or later than it is written a guide's note may be sung, frames. */
const GUIDE_REACH = 30;
/** Price of a frame outside the time that is written: where the pitch does not tell, that does. */
const OUTSIDE: Cents = 10;
const FURTHER: Cents = 1;
/** A note that is sung within so much of its pitch for so much of its length is meant to be there. */
const AT_PITCH: Cents = 70;
const LEAST_AT_PITCH = 0.5;

/** A guide's note as a run may sing it. */
interface SungGuide extends GuideSpan {
  /** Where it is sung: at its pitch, or where else the voice lies meanwhile. */
  level: Cents;
}

/** The notes of a guide within reach of a run, in the octave and at the level they are sung at. */
function guideIn({ start, end, middle }: VoicedRun, guide: readonly GuideSpan[]): SungGuide[] {
  const near = guide.filter(g => g.end + GUIDE_REACH > start && g.start - GUIDE_REACH < end);
  return near.map(g => {
    const part = (more: number) =>
      middle.subarray(Math.max(0, g.start - more - start), Math.max(0, g.end + more - start));
    const within = part(0).length ? part(0) : part(GUIDE_REACH);
    const sung = within.toSorted()[within.length >> 1];
    const cents = g.fold ? g.cents + 1200 * Math.round((sung - g.cents) / 1200) : g.cents;
    const length = g.end - g.start;
    const there = part(Math.min(GUIDE_REACH, Math.round(length / 3))).reduce(
      (n, c) => n + Number(Math.abs(c - cents) < AT_PITCH),
      0,
    );
    return { ...g, cents, level: there >= LEAST_AT_PITCH * length ? cents : sung };
  });
}

/** The pitch of the guide's note each frame of a run belongs to; NaN where none is near. */
function followGuide(run: VoicedRun, guide: readonly GuideSpan[], slack: Slack): Cents[] {
  const notes = guideIn(run, guide);
  const near = (i: number) => notes.some(n => outsideOf(n, run.start + i) <= GUIDE_REACH);
  const out = new Array<Cents>(run.middle.length).fill(NaN);
  for (let i = 0; i < out.length; i++) {
    if (!near(i)) continue;
    let end = i + 1;
    while (end < out.length && near(end)) end++;
    for (const [j, g] of throughGuide(run, i, end, notes, slack).entries()) out[i + j] = notes[g].cents;
    i = end;
  }
  return out;
}

/** How far a frame lies outside the time a note is written at. */
const outsideOf = ({ start, end }: FrameSpan, k: number): number => Math.max(start - k, k - end + 1, 0);

/**
 * The note of a guide each frame of a run belongs to, between two frames that all have one within reach. Notes may be sung earlier and
 * later than they are written: the cheapest way through them by what is sung, where a change costs what the slack lets pass (Viterbi).
 * @returns numbers of notes
 */
function throughGuide(
  { start, middle }: VoicedRun,
  first: number,
  end: number,
  notes: readonly SungGuide[],
  slack: Slack,
): number[] {
  const change = 2 * slack.cents * Math.max(1, Math.round(slack.ms / FRAME_MS));
  const cameFrom: Int32Array[] = [];
  let costs = new Float64Array(notes.length).fill(Infinity);
  for (let i = first; i < end; i++) {
    const best = i > first ? cheapest(costs) : -1;
    const next = new Float64Array(notes.length).fill(Infinity);
    const came = new Int32Array(notes.length).fill(-1);
    // a note whose time is over is left for nothing
    const leaving = best >= 0 && outsideOf(notes[best], start + i) <= GUIDE_REACH ? change : 0;
    for (const [g, note] of notes.entries()) {
      const outside = outsideOf(note, start + i);
      if (outside > GUIDE_REACH) continue;
      const stays = best >= 0 && costs[g] <= costs[best] + leaving;
      came[g] = stays ? g : best;
      const before = best < 0 ? 0 : stays ? costs[g] : costs[best] + leaving;
      next[g] = before + Math.abs(middle[i] - note.level) + (outside ? OUTSIDE + FURTHER * outside : 0);
    }
    cameFrom.push(came);
    costs = next;
  }
  const out: number[] = [];
  for (let g = cheapest(costs), i = cameFrom.length - 1; i >= 0; i--) {
    out.push(g);
    g = cameFrom[i][g];
  }
  return out.reverse();
}

const cheapest = (costs: Float64Array): number => costs.reduce((best, c, g) => (c < costs[best] ? g : best), 0);

/** The line less its vibrato, without notes: the joint smoother with the rate that fits best, loose enough for glides. */
function slowLine(sung: Float64Array): Float64Array {
  const weights = new Float64Array(sung.length).fill(1);
  const stiffness = 300;
  let best = sung;
  let least = Infinity;
  for (const rate of [4.4, 5, 5.6, 6.3, 7.1]) {
    const { slow, vibrato } = new JointSmoother(weights, rate, stiffness).split(sung);
    let cost = 0;
    for (let i = 0; i < sung.length; i++) cost += (sung[i] - slow[i] - vibrato[i]) ** 2;
    for (let i = 1; i + 1 < sung.length; i++) cost += stiffness * (slow[i + 1] - 2 * slow[i] + slow[i - 1]) ** 2;
    if (cost < least) [least, best] = [cost, slow];
  }
  return best;
}
