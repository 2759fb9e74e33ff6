import { smoothStep } from '../units';
import { addDetails, addDrawing } from './detail';
import type { NoteMovement } from './movement';
import { settleLine, type Ask } from './whole-take';

/** What is asked of a note's line, as shares: 1 keeps what was sung. */
export interface NoteShape {
  /** Where the centre should go, cents; null leaves it. */
  rail: number | null;
  /** How far it goes there, 0..1. */
  aim: number;
  wander: number;
  /** 0..2 */
  vibrato: number;
  scoop: number;
  fall: number;
  /** Full length of the transition into the note, ms; null as sung. */
  glide: number | null;
  /** How much later than sung the transition lies, frames. */
  glidePlace: number;
  /** Time constant with which its line is drawn to the rail as a whole, ms; null: its centre goes there. */
  settle: number | null;
  /** Placed by hand: nothing broad moves it. */
  pinned?: boolean;
  /** Rise from its start to its end, cents. */
  tilt: number;
  /** How far its first and last moment lie from where they would, cents. */
  startCents: number;
  endCents: number;
  /** Frames from its start to its onset. */
  lead: number;
  /** How long after its onset the correction begins, ms. */
  begin: number;
  /** Frames [from, to) that count for its centre; NaN: its body. */
  centreFrom: number;
  centreTo: number;
  /** Another rate for the sung vibrato, Hz; 0 as sung. */
  vibratoHz: number;
  /** How far its swings are made alike, 0..1. */
  even: number;
  /** An added vibrato: from the middle to the top, cents; 0 for none. */
  addedDepth: number;
  addedHz: number;
  /** ms */
  addedDelay: number;
  addedBuild: number;
  /** 0..1 */
  addedUnrest: number;
  addedSway: number;
  /** Parts of it that keep to other values, frames; null: none. */
  parts: readonly ShapePart[] | null;
  /** Strokes, each seconds and MIDI by turns; null where nothing was drawn. */
  drawn: readonly (readonly number[])[] | null;
}

/** Values that hold in a part of a note. */
export interface ShapePart {
  from: number;
  to: number;
  aim: number;
  wander: number;
  vibrato: number;
  scoop: number;
  fall: number;
}

export const AS_SUNG: NoteShape = {
  rail: null,
  aim: 0,
  wander: 1,
  vibrato: 1,
  scoop: 1,
  fall: 1,
  glide: null,
  glidePlace: 0,
  settle: null,
  tilt: 0,
  startCents: 0,
  endCents: 0,
  lead: 0,
  begin: 0,
  centreFrom: NaN,
  centreTo: NaN,
  vibratoHz: 0,
  even: 0,
  addedDepth: 0,
  addedHz: 5.5,
  addedDelay: 0,
  addedBuild: 0,
  addedUnrest: 0,
  addedSway: 0,
  parts: null,
  drawn: null,
};

const FREE_STEP = 3;

/** A correction that begins later comes in over so many frames. */
const BEGIN_FRAMES = 16;

/** Frames in which a part of a note goes over into the rest of it. */
const PART_EDGE = 8;

/** How far a note's values are those of a part at frame k, 0..1. */
const withinPart = ({ from, to }: ShapePart, k: number): number =>
  smoothStep((k - from + PART_EDGE / 2) / PART_EDGE) * smoothStep((to - k + PART_EDGE / 2) / PART_EDGE);

/** Correction of one note at frame k when it stands alone. */
function correction(o: NoteMovement, s: NoteShape, k: number): number {
  const by = (v: Pick<NoteShape, 'aim' | 'wander' | 'vibrato' | 'scoop' | 'fall'>) =>
    (s.rail === null ? 0 : v.aim * (s.rail - centreOf(o, s))) +
    (v.wander - 1) * o.wanderAt(k) +
    (v.vibrato - 1) * o.vibratoAt(k) +
    (v.scoop - 1) * o.scoopAt(k) +
    (v.fall - 1) * o.fallAt(k);
  let all = by(s);
  for (const part of s.parts ?? []) {
    const share = withinPart(part, k);
    if (share > 0) all += share * (by(part) - all);
  }
  if (!s.begin) return all;
  return all * smoothStep((k - o.start - s.lead - s.begin / 5) / BEGIN_FRAMES);
}

const centreShift = (o: NoteMovement, s: NoteShape) => (s.rail === null ? 0 : s.aim * (s.rail - centreOf(o, s)));
const centreOf = (o: NoteMovement, s: NoteShape) =>
  Number.isNaN(s.centreFrom) ? o.centre : o.centreOver(s.centreFrom, s.centreTo);

/**
 * The edited pitch line. Neutral shapes give the sung line back exactly.
 * @param sung cents per frame @param weights 0 where nothing is sung
 * @param notes the split, in order @param shapes one a note
 * @returns cents per frame
 */
export function editedLine(
  sung: Float64Array,
  weights: ArrayLike<number>,
  notes: NoteMovement[],
  shapes: NoteShape[],
): Float64Array {
  const out = Float64Array.from(sung);
  for (const [from, to] of joinedChains(notes))
    editChain(out, sung, weights, notes.slice(from, to), shapes.slice(from, to));
  return out;
}

/** Notes that hang together, as [from, to) of the list. No edit of a note is felt outside its chain. */
export function joinedChains(notes: readonly NoteMovement[]): [from: number, to: number][] {
  const out: [number, number][] = [];
  notes.forEach((o, i) => {
    if (i && o.joinedIn) out[out.length - 1][1] = i + 1;
    else out.push([i, i + 1]);
  });
  return out;
}

/**
 * Writes the edited line of one chain of joined notes.
 * @param out cents per frame, the sung line where nothing was edited yet
 */
export function editChain(
  out: Float64Array,
  sung: Float64Array,
  weights: ArrayLike<number>,
  notes: NoteMovement[],
  shapes: NoteShape[],
): void {
  const start = notes[0].start;
  const end = notes[notes.length - 1].end;
  const free = new Uint8Array(end - start + 2);
  notes.forEach((o, i) => {
    for (let k = o.start; k < o.end; k++) out[k] = sung[k] + correction(o, shapes[i], k);
  });
  for (let i = 1; i < notes.length; i++)
    if (notes[i].joinedIn && notes[i].transitionIn)
      joinCorrections(out, sung, weights, notes[i - 1], notes[i], shapes[i - 1], shapes[i], free, start);
  if (shapes.some(isSettling)) settleNotes(out, sung, weights, notes, shapes, free);
  limitSteps(out, sung, weights, notes, shapes, free);
  addDetails(out, notes, shapes);
  addDrawing(out, notes, shapes);
}

/** Inside a transition the two notes' corrections blend by the voice's own progress; another glide length re-times it. */
function joinCorrections(
  out: Float64Array,
  sung: Float64Array,
  weights: ArrayLike<number>,
  a: NoteMovement,
  b: NoteMovement,
  wa: NoteShape,
  wb: NoteShape,
  free: Uint8Array,
  start: number,
): void {
  const { from, to } = b.transitionIn!;
  const progress = voiceProgress(sung, weights, from, to, a, b);
  const natural = (to - from) * 5;
  // the border is where the voice moves, not where the note was drawn
  for (let k = b.start; k < from; k++) out[k] = sung[k] + correction(a, wa, k);
  for (let k = to; k < b.start; k++) out[k] = sung[k] + correction(b, wb, k);
  const length = wb.glide ?? natural;
  if (Math.abs(length - natural) < 2.5 && !wb.glidePlace) {
    for (let k = from; k < to; k++) {
      const t = progress[k - from];
      out[k] = sung[k] + (1 - t) * correction(a, wa, k) + t * correction(b, wb, k);
    }
    return;
  }
  let half = 0;
  while (half < progress.length - 1 && progress[half] < 0.5) half++;
  const sungMiddle = from + half;
  const earliest = a.transitionIn ? (a.transitionIn.to + from) / 2 : (a.start + from) / 2;
  const latest = b.transitionOut ? (b.transitionOut.from + to) / 2 : (b.end + to) / 2;
  // elsewhere it lies within the two notes too, with room for itself
  const placed = () => Math.round(Math.max(earliest + 2, Math.min(latest - 2, sungMiddle + wb.glidePlace)));
  const middle = wb.glidePlace ? placed() : sungMiddle;
  const scale = Math.min(
    length / natural,
    (middle - earliest) / Math.max(1, sungMiddle - from),
    (latest - middle) / Math.max(1, to - sungMiddle),
  );
  const n0 = Math.round(middle - (sungMiddle - from) * scale);
  const n1 = Math.round(middle + (to - sungMiddle) * scale);
  const w0 = Math.min(n0, from - 6);
  const w1 = Math.max(n1, to + 6);
  /** What the glide does beyond the two notes' own blend. */
  const detailAt = (k: number) => {
    if (k < from - 6 || k >= to + 6 || k < a.start || k >= b.end) return 0;
    const t = k < from ? 0 : k >= to ? 1 : progress[k - from];
    return sung[k] - (1 - t) * a.ownAt(k) - t * b.ownAt(k);
  };
  const detail = (x: number) => {
    const k = Math.floor(x);
    return (1 - (x - k)) * detailAt(k) + (x - k) * detailAt(k + 1);
  };
  const progressAt = (x: number) => {
    const j = x - from;
    if (j <= 0) return 0;
    if (j >= to - from) return 1;
    const k = Math.floor(j);
    const next = k + 1 < progress.length ? progress[k + 1] : 1;
    return progress[k] + (j - k) * (next - progress[k]);
  };
  free.fill(1, Math.max(0, w0 - 1 - start), Math.max(0, Math.min(free.length, w1 + 1 - start)));
  const step = length < 1;
  for (let k = Math.max(a.start, w0); k < Math.min(b.end, w1); k++) {
    let x: number;
    let t: number;
    if (k < n0) [x, t] = [from - (n0 - k), 0];
    else if (k >= n1) [x, t] = [to + (k - n1), 1];
    else {
      x = n1 > n0 ? from + ((k - n0) * (to - from)) / (n1 - n0) : to;
      t = step ? (k >= middle ? 1 : 0) : progressAt(x);
    }
    const ea = a.ownAt(k) + correction(a, wa, k);
    const eb = b.ownAt(k) + correction(b, wb, k);
    out[k] = (1 - t) * ea + t * eb + (step ? 0 : detail(x));
  }
}

/** How far the voice has come from a to b, 0..1, never going back; a plain S where the two are near each other. */
function voiceProgress(
  sung: Float64Array,
  weights: ArrayLike<number>,
  from: number,
  to: number,
  a: NoteMovement,
  b: NoteMovement,
): Float64Array {
  const n = to - from;
  const middle = (from + to) >> 1;
  const mix = smoothStep((Math.abs(b.ownAt(middle) - a.ownAt(middle)) - 30) / 50);
  let top = 0;
  return Float64Array.from({ length: n }, (_, j) => {
    const k = from + j;
    const S = smoothStep((j + 1) / (n + 1));
    const ya = a.ownAt(k);
    const yb = b.ownAt(k);
    const t = Math.abs(yb - ya) > 1 && weights[k] > 0 ? Math.max(0, Math.min(1, (sung[k] - ya) / (yb - ya))) : S;
    top = Math.max(top, t);
    return mix * top + (1 - mix) * S;
  });
}

/**
 * No step of the correction beyond 3 cents and the voice's own movement, along a chain: the mean of a forward and a backward limiter.
 * @param free 1 where any step is, a frame from the chain's start
 */
function limitSteps(
  out: Float64Array,
  sung: Float64Array,
  weights: ArrayLike<number>,
  notes: NoteMovement[],
  shapes: NoteShape[],
  free: Uint8Array,
): void {
  const { start } = notes[0];
  const n = notes[notes.length - 1].end - start;
  const wanted = new Float64Array(n);
  const bound = new Float64Array(n);
  let q = 0;
  for (let j = 0; j < n; j++) {
    const k = start + j;
    while (q + 1 < notes.length && k >= (notes[q + 1].transitionIn?.from ?? notes[q + 1].start)) q++;
    const o = notes[q];
    let factor = 1;
    if (q && o.transitionIn && k <= o.transitionIn.to) {
      const before = notes[q - 1];
      factor = Math.max(
        1,
        Math.abs(centreShift(o, shapes[q]) - centreShift(before, shapes[q - 1])) /
          Math.max(30, Math.abs(o.centre - before.centre)),
      );
    }
    wanted[j] = out[k] - sung[k];
    bound[j] =
      !j || free[j] || !(weights[k] > 0) || !(weights[k - 1] > 0)
        ? Infinity
        : FREE_STEP + factor * Math.abs(sung[k] - sung[k - 1]);
  }
  const forward = new Float64Array(n);
  const backward = new Float64Array(n);
  for (let j = 0; j < n; j++)
    forward[j] =
      bound[j] < Infinity
        ? Math.max(forward[j - 1] - bound[j], Math.min(forward[j - 1] + bound[j], wanted[j]))
        : wanted[j];
  for (let j = n - 1; j >= 0; j--)
    backward[j] =
      j < n - 1 && bound[j + 1] < Infinity
        ? Math.max(backward[j + 1] - bound[j + 1], Math.min(backward[j + 1] + bound[j + 1], wanted[j]))
        : wanted[j];
  for (let j = 0; j < n; j++) {
    const v = (forward[j] + backward[j]) / 2;
    if (Math.abs(v - wanted[j]) > 1e-9) out[start + j] = sung[start + j] + v;
  }
}

const isSettling = (s: NoteShape) => s.settle !== null && s.rail !== null;

/** Draws the lines of notes with a settle time to their rails as a take is tuned without notes. */
function settleNotes(
  out: Float64Array,
  sung: Float64Array,
  weights: ArrayLike<number>,
  notes: NoteMovement[],
  shapes: NoteShape[],
  free: Uint8Array,
): void {
  const { start } = notes[0];
  const asked = notes.map((_, i): Ask | undefined => {
    const { rail, settle, aim, vibrato, glide } = shapes[i];
    if (settle === null || rail === null) return undefined;
    return { step: rail, settling: { settleMs: settle, aim, vibrato, glideMs: glide } };
  });
  const end = notes[notes.length - 1].end;
  const asks: (Ask | undefined)[] = new Array<Ask | undefined>(end - start);
  notes.forEach((o, i) => asks.fill(asked[i], o.start - start, o.end - start));
  const settled = new Float64Array(end);
  for (let from = start; from < end;) {
    if (!(weights[from] > 0)) {
      from++;
      continue;
    }
    let to = from;
    while (to < end && weights[to] > 0) to++;
    settleLine(settled, { sung }, { start: from, end: to }, asks.slice(from - start, to - start));
    from = to;
  }
  for (let j = 0; j < asks.length; j++) {
    if (!asks[j]) continue;
    if (weights[start + j] > 0) out[start + j] = settled[start + j];
    free[j] = free[j + 1] = 1;
  }
}
