import { smoothStep, type Cents, type Decibels } from '../units';
import { FRAME } from './body';
import type { NoteShape } from './line';
import type { NoteMovement } from './movement';
import { swings, turnedVibrato } from './vibrato';

/**
 * What is asked of a note beyond where it lies and how much of its life it keeps: tilt, first and last pitch, another vibrato. It is added
 * to the line the faders give, and what was drawn by hand counts instead of both.
 */

/** The first and last pitch are met over this much of a note, and no longer than this. */
const END_SHARE = 0.4;
const END_FRAMES = 36;
/** Full sway: loudness and colour swing by so much, from the middle to the top. */
const SWAY_DB: Decibels = 1.5;
const SWAY_CENTS: Cents = 30;
/** Over so many frames a drawn stroke is reached from the line about it, and left. */
const STROKE_EDGE = 8;
/** Strokes nearer than so many frames are one. */
const STROKE_GAP = 3;

const isDetailed = (s: NoteShape): boolean =>
  !!(s.tilt || s.startCents || s.endCents || s.addedDepth || s.vibratoHz || s.even);

/** What is added to a note's line, cents a frame of the note; null where nothing is. Cost: of the note's length. */
export function detailOf(o: NoteMovement, s: NoteShape): Float64Array | null {
  if (!isDetailed(s)) return null;
  const n = o.length;
  const out = new Float64Array(n);
  const end = Math.min(END_FRAMES, END_SHARE * n);
  for (let i = 0; i < n; i++)
    out[i] =
      s.tilt * ((i + 0.5) / n - 0.5) +
      s.startCents * (1 - smoothStep(i / end)) +
      s.endCents * (1 - smoothStep((n - 1 - i) / end));
  if ((s.vibratoHz || s.even) && o.vibratoShape) {
    const faster = s.vibratoHz ? s.vibratoHz / o.vibratoShape.rate : 1;
    turnedVibrato(o, { faster, phase: 0, even: s.even }).forEach((v, i) => (out[i] += s.vibrato * v));
  }
  swing(o, s, (i, v) => (out[i] += s.addedDepth * v));
  return out;
}

/** The swing of an added vibrato, by the note's frames; it dies away before the next note is slid to. */
function swing(o: NoteMovement, s: NoteShape, each: (i: number, v: number) => void): void {
  if (!s.addedDepth) return;
  const from = o.start + s.lead;
  const to = Math.max(from, Math.min(o.end, o.transitionOut?.from ?? o.end));
  const how = {
    rateHz: s.addedHz,
    delay: s.addedDelay / 1000,
    build: s.addedBuild / 1000,
    irregularity: s.addedUnrest,
    seed: o.start + 1,
  };
  swings(from * FRAME, to * FRAME, how, FRAME, (k, v) => {
    if (k >= o.start && k < o.end) each(k - o.start, v);
  });
}

/** Adds what is asked of the notes of a chain to its line; where two meet, what the one asks goes over into what the other does. */
export function addDetails(out: Float64Array, notes: readonly NoteMovement[], shapes: readonly NoteShape[]): void {
  notes.forEach((o, i) => {
    const detail = detailOf(o, shapes[i]);
    if (!detail) return;
    const [into, outOf] = [o.transitionIn, o.transitionOut];
    const from = into ? Math.min(into.from, o.start) : o.start;
    const to = outOf ? Math.max(outOf.to, o.end) : o.end;
    for (let k = from; k < to; k++) {
      const comes = into ? smoothStep((k - into.from + 1) / (into.to - into.from + 1)) : 1;
      const goes = outOf ? 1 - smoothStep((k - outOf.from + 1) / (outOf.to - outOf.from + 1)) : 1;
      out[k] += comes * goes * detail[Math.max(0, Math.min(detail.length - 1, k - o.start))];
    }
  });
}

interface Stroke {
  /** Frames, fractions allowed, and cents by turns. */
  points: number[];
}

/** What was drawn over the notes of a chain, strokes that meet joined. */
function strokesOf(shapes: readonly NoteShape[], hop: number): Stroke[] {
  const out: Stroke[] = [];
  for (const { drawn } of shapes)
    for (const stroke of drawn ?? []) {
      const points = stroke.map((v, i) => (i % 2 ? v * 100 : v / hop));
      const last = out[out.length - 1]?.points;
      if (last && points[0] - last[last.length - 2] <= STROKE_GAP) last.push(...points);
      else out.push({ points });
    }
  return out;
}

/** Puts what was drawn in the place of a chain's line, met exactly from its first point to its last. */
export function addDrawing(
  out: Float64Array,
  notes: readonly NoteMovement[],
  shapes: readonly NoteShape[],
  hop = FRAME,
): void {
  const first = notes[0].start;
  const end = notes[notes.length - 1].end;
  for (const { points } of strokesOf(shapes, hop)) {
    const [from, to] = [points[0], points[points.length - 2]];
    let j = 0;
    const a = Math.max(first, Math.ceil(from - STROKE_EDGE));
    const z = Math.min(end - 1, Math.floor(to + STROKE_EDGE));
    for (let k = a; k <= z; k++) {
      while (j + 4 < points.length && points[j + 2] < k) j += 2;
      const length = points[j + 2] - points[j];
      const t = Math.max(0, Math.min(1, length > 0 ? (k - points[j]) / length : 1));
      const at = points[j + 1] + (points[j + 3] - points[j + 1]) * t;
      const share = smoothStep(1 - Math.max(from - k, k - to, 0) / STROKE_EDGE);
      out[k] += share * (at - out[k]);
    }
  }
}

/** How loudness and colour of a take swing with its added vibratos; null where none does. A number a frame. */
export function swayOf(
  notes: readonly NoteMovement[],
  shapes: readonly NoteShape[],
  frames: number,
): { levelDb: Float32Array; formantCents: Float32Array } | null {
  if (!shapes.some(s => s.addedDepth && s.addedSway)) return null;
  const levelDb = new Float32Array(frames);
  const formantCents = new Float32Array(frames);
  notes.forEach((o, i) => {
    const { addedSway } = shapes[i];
    if (!addedSway) return;
    swing(o, shapes[i], (j, v) => {
      levelDb[o.start + j] = SWAY_DB * addedSway * v;
      formantCents[o.start + j] = SWAY_CENTS * addedSway * v;
    });
  });
  return { levelDb, formantCents };
}
