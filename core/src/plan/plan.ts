import { editsInOrder, type Edits } from '../song/match';
import type { NoteEdit, NotePart } from '../song/document';
import { PITCH_OF_PARTS } from '../song/note-parts';
import { editableSpans } from '../read';
import type { TimeMap } from '../song/timemap';
import type { Scale } from '../music';
import { smoothStep, type Cents, type Span } from '../units';
import type { VoicePlan } from '../voice';
import { LEAN_REACH, leanNote, smoothPull, type LeanTo } from './lean';
import { levelLeanDb, type LevelLeanTo } from './level-lean';
import { swayOf } from './detail';
import { AS_SUNG, editChain, joinedChains, type NoteShape, type ShapePart } from './line';
import type { FrameSpan } from './movement';
import type { SplitTake } from './split';
import { spanGains, NoteCurves, withoutClipping, type GainSpan, type NoteTones } from './tone';
import { turnedVibrato, type VibratoTurn } from './vibrato';
import { USUAL_SLACK, wholeLine, type GuideSpan, type Settling, type Slack, type WholeSpan } from './whole-take';

const partOf = (edit: NoteEdit, part: NotePart, hop: number): ShapePart => {
  const share = (f: (typeof PITCH_OF_PARTS)[number]) => (part[f] ?? edit[f] ?? 100) / 100;
  return {
    from: Math.round(part.start / hop),
    to: Math.round(part.end / hop),
    aim: share('aim'),
    wander: share('wander'),
    vibrato: share('vibrato'),
    scoop: share('scoop'),
    fall: share('fall'),
  };
};

/** What parts of a note say of its line; null where none does. */
function partsOf(edit: NoteEdit, hop: number): ShapePart[] | null {
  const parts = edit.parts?.filter(p => PITCH_OF_PARTS.some(f => p[f] !== undefined));
  return parts?.length ? parts.map(p => partOf(edit, p, hop)) : null;
}

/** A note's edit as its line understands it. @param note as read: when it begins and is heard to begin, s */
export function shapeOf(edit: NoteEdit | undefined, note?: { start: number; onset: number }, hop = 0.005): NoteShape {
  if (!edit) return AS_SUNG;
  const share = (v: number | undefined) => (v ?? 100) / 100;
  const { added, centre } = edit;
  return {
    rail: edit.target === undefined ? null : edit.target * 100,
    aim: share(edit.aim),
    wander: share(edit.wander),
    vibrato: share(edit.vibrato),
    scoop: share(edit.scoop),
    fall: share(edit.fall),
    glide: edit.glide ?? null,
    glidePlace: (edit.glidePlace ?? 0) / (hop * 1000),
    settle: edit.settle ?? null,
    pinned: edit.pinned ?? false,
    tilt: edit.tilt ?? 0,
    startCents: edit.startCents ?? 0,
    endCents: edit.endCents ?? 0,
    lead: note ? Math.max(0, Math.round((note.onset - note.start) / hop)) : 0,
    begin: edit.begin ?? 0,
    centreFrom: centre ? Math.round(centre.start / hop) : NaN,
    centreTo: centre ? Math.round(centre.end / hop) : NaN,
    vibratoHz: edit.vibratoHz ?? 0,
    even: (edit.even ?? 0) / 100,
    addedDepth: added?.depthCents ?? 0,
    addedHz: added?.rateHz ?? 0,
    addedDelay: added?.delayMs ?? 0,
    addedBuild: added?.buildMs ?? 0,
    addedUnrest: (added?.unrest ?? 0) / 100,
    addedSway: (added?.sway ?? 0) / 100,
    parts: partsOf(edit, hop),
    drawn: edit.drawn ?? null,
  };
}

/** What does not change a note's line by itself. */
const MEANT_ONLY = new Set<keyof NoteShape>([
  'rail',
  'aim',
  'settle',
  'pinned',
  'lead',
  'begin',
  'centreFrom',
  'centreTo',
]);
const TELLING = (Object.keys(AS_SUNG) as (keyof NoteShape)[]).filter(
  k => !MEANT_ONLY.has(k) && (!k.startsWith('added') || k === 'addedDepth'),
);

const isNeutral = (w: NoteShape) => (w.rail === null || w.aim === 0) && TELLING.every(k => w[k] === AS_SUNG[k]);

const sameStrokes = (a: NoteShape['drawn'], b: NoteShape['drawn']): boolean =>
  a === b ||
  (!!a &&
    !!b &&
    a.length === b.length &&
    a.every((s, i) => s.length === b[i].length && s.every((v, j) => v === b[i][j])));

const sameParts = (a: NoteShape['parts'], b: NoteShape['parts']): boolean =>
  a === b ||
  (!!a &&
    !!b &&
    a.length === b.length &&
    a.every((p, i) => (Object.keys(p) as (keyof ShapePart)[]).every(k => p[k] === b[i][k])));

const sameShape = (a: NoteShape, b: NoteShape): boolean =>
  a === b ||
  ((Object.keys(AS_SUNG) as (keyof NoteShape)[]).every(k => k === 'drawn' || k === 'parts' || Object.is(a[k], b[k])) &&
    !!a.pinned === !!b.pinned &&
    sameParts(a.parts, b.parts) &&
    sameStrokes(a.drawn, b.drawn));

/** What will be heard of a take. */
export interface TakePlan {
  voice: VoicePlan;
  /** Edited line, cents per frame. */
  line: Float64Array;
  /** Frames in which pitch may be another than in the plan before. */
  dirty: FrameSpan;
}

/** What a track asks of a take besides its notes' edits: as a follower, or as a part. Curves are a number a frame. */
export interface Surroundings {
  /** Take time to heard time. */
  time?: TimeMap;
  lean?: LeanTo;
  levelLean?: LevelLeanTo;
  /** Added to the pitch of everything sung. */
  cents?: Float32Array;
  /** Another rate and phase for the vibrato of each note, by its order. */
  turns?: readonly VibratoTurn[];
  levelDb?: Float32Array;
  /** Stretches turned up or down: noises, gaps. */
  gains?: readonly GainSpan[];
  /** Stretches of the recording that were put otherwise before. */
  patched?: readonly Span[];
  /** Highest sample about each frame, dB; with it no lift clips. Asked for when something is lifted. */
  peaks?: () => ArrayLike<number>;
  /** Semitones. */
  formant?: number;
  /** Stretches tuned without notes, in order; notes with edits of their own keep to these. */
  whole?: readonly WholeSpan[];
}

const NOTHING: Surroundings = {};
/** Frames to either side in which a line tuned as a whole goes over into a note's own. */
const OVER = 5;
/** Less is not heard and would make the voice anew for nothing. */
const LEAST_ADDED: Cents = 0.2;

/**
 * Plans one take again and again while it is edited. A plan is a stack of layers, each a number a frame: the notes' lines, then what is
 * added to them (scatter, other vibratos, the pitch lean), then what the engine is told; level and formants beside them. A layer is made
 * anew only in the frames that the layers below it made dirty, so that a change costs the notes it touches and what is joined to them;
 * what the surroundings alone decide is made once for as long as they stay the same object.
 */
export class TakePlanner {
  private readonly chains: [from: number, to: number][];
  private shapes: NoteShape[];
  private around: Surroundings = NOTHING;
  /** The notes' own lines. */
  private readonly own: Float64Array;
  /** The take's line where it is tuned without notes, and where that is. */
  private whole: { line: Float64Array; spans: readonly WholeSpan[] } | null = null;
  /** Both together. */
  private noted: Float64Array;
  /** What is added to them whatever the notes do, and how far each is pulled to its lead. */
  private added: Float32Array | null = null;
  private readonly pull: Float32Array;
  private readonly leaned: Float32Array;
  private line: Float64Array;
  private offsets: Float32Array;
  private active: Uint8Array;
  private levelDb: Float32Array | undefined;
  private formantCents: Float32Array | undefined;
  private readonly joins: number[];
  private readonly tones: NoteCurves;
  private toned: NoteTones | null = null;

  constructor(private readonly take: SplitTake) {
    const frames = take.sung.length;
    this.tones = new NoteCurves(take);
    this.chains = joinedChains(take.notes);
    this.shapes = take.notes.map(() => AS_SUNG);
    this.own = Float64Array.from(take.sung);
    this.noted = this.own;
    this.line = Float64Array.from(take.sung);
    this.pull = new Float32Array(frames);
    this.leaned = new Float32Array(frames);
    this.offsets = new Float32Array(frames);
    this.active = new Uint8Array(frames);
    this.joins = joinsOf(take);
  }

  /** The plan for edits, matched to the notes by their spans. @param around the same object while it is the same */
  plan(edits: Edits, around: Surroundings = NOTHING): TakePlan {
    const { notes, hop } = this.take.reading;
    const inOrder = editsInOrder(editableSpans(this.take.reading), edits);
    this.toned = this.tones.plan(inOrder);
    return this.planShapes(
      notes.map((n, i) => shapeOf(inOrder[i], n, hop)),
      around,
    );
  }

  /** The plan for one shape a note. Neutral shapes leave the voice untouched, bit for bit. */
  planShapes(shapes: NoteShape[], around: Surroundings = NOTHING): TakePlan {
    const { take } = this;
    const frames = take.sung.length;
    const before = this.shapes;
    this.shapes = shapes;
    const anew = around !== this.around;
    if (anew) this.surround(around);
    const dirty: FrameSpan[] = [];
    for (const [from, to] of this.chains) {
      const changed = (i: number) => !sameShape(before[i], shapes[i]);
      let i = from;
      while (i < to && !changed(i)) i++;
      if (i === to && !anew) continue;
      const [start, end] = [take.notes[from].start, take.notes[to - 1].end];
      if (i < to) editChain(this.own, take.sung, take.voiced, take.notes.slice(from, to), shapes.slice(from, to));
      if (this.whole) this.overlay(from, to);
      if (around.turns && !anew) for (let k = from; k < to; k++) this.turn(k);
      if (around.lean) this.lean(from, to, around.lean);
      dirty.push({ start: Math.max(0, start - LEAN_REACH - 1), end: Math.min(frames, end + LEAN_REACH + 1) });
    }
    const span = anew
      ? { start: 0, end: frames }
      : { start: dirty[0]?.start ?? 0, end: dirty.length ? dirty[dirty.length - 1].end : 0 };
    // what was handed out before stays as it is
    this.line = this.line.slice();
    this.offsets = this.offsets.slice();
    this.active = this.active.slice();
    for (const d of anew ? [span] : dirty) this.tell(d);
    return { voice: this.voice(), line: this.line, dirty: span };
  }

  /** Takes what a track asks besides: what does not depend on the notes' edits is made here. */
  private surround(around: Surroundings): void {
    this.around = around;
    const { cents, turns, levelLean, levelDb, formant, lean, whole, gains } = around;
    this.whole = whole?.length ? { line: wholeLine(this.take, whole), spans: whole } : null;
    this.noted = this.whole ? this.whole.line.slice() : this.own;
    const { reading, voiced, sung } = this.take;
    this.added = cents || turns ? new Float32Array(sung.length) : null;
    if (cents) this.added!.set(cents.subarray(0, sung.length));
    if (turns) this.shapes.forEach((_, i) => this.turn(i));
    if (!lean) {
      this.pull.fill(0);
      this.leaned.fill(0);
    }
    const leaning = levelLean && levelLeanDb(reading.levelDb, voiced, levelLean);
    const spans = gains?.length ? spanGains(gains, reading.hop, sung.length) : undefined;
    this.levelDb = added(added(leaning, levelDb), spans);
    this.formantCents = formant ? new Float32Array(sung.length).fill(formant * 100) : undefined;
  }

  /** Where notes have edits of their own, these hold instead of what tunes the whole take; between the two a short way over. */
  private overlay(from: number, to: number): void {
    const { noted, own, shapes, take } = this;
    const { notes, sung } = take;
    const { line } = this.whole!;
    const [first, end] = [notes[from].start, notes[to - 1].end];
    for (let k = first; k < end; k++) noted[k] = line[k];
    const edges: number[] = [];
    let before = false;
    for (let i = from; i < to; i++) {
      const edited = !isNeutral(shapes[i]);
      if (edited) for (let k = notes[i].start; k < notes[i].end; k++) noted[k] = own[k];
      if (i > from && edited !== before) edges.push(notes[i].start);
      before = edited;
    }
    for (const edge of edges) {
      const [a, z] = [Math.max(first, edge - OVER), Math.min(end - 1, edge + OVER)];
      const [low, high] = [noted[a] - sung[a], noted[z] - sung[z]];
      for (let k = a; k <= z; k++) noted[k] = sung[k] + low + (high - low) * smoothStep((k - a) / Math.max(1, z - a));
    }
  }

  /** Another vibrato goes along with how much of it is kept. */
  private turn(i: number): void {
    const note = this.take.notes[i];
    const turn = this.around.turns?.[i];
    if (!turn || !note.vibratoShape) return;
    const { cents } = this.around;
    const share = this.shapes[i].vibrato;
    turnedVibrato(note, turn).forEach((v, j) => {
      const k = note.start + j;
      this.added![k] = (cents?.[k] ?? 0) + share * v;
    });
  }

  /** Pulls the notes of a chain to the lead; those placed by hand stay. */
  private lean(from: number, to: number, lean: LeanTo): void {
    const { frames, voiced } = this.take;
    for (let i = from; i < to; i++) {
      if (this.shapes[i].pinned || this.shapes[i].drawn) this.pull.fill(0, frames[i].start, frames[i].end);
      else leanNote(this.pull, this.noted, voiced, frames[i], lean);
    }
    const start = Math.max(0, frames[from].start - LEAN_REACH);
    smoothPull(this.leaned, this.pull, voiced, start, Math.min(voiced.length, frames[to - 1].end + LEAN_REACH));
  }

  /** Writes what the engine is told of some frames. */
  private tell({ start, end }: FrameSpan): void {
    const { noted, added, leaned, line, offsets, active, take } = this;
    const { sung, voiced, notes } = take;
    for (let k = start; k < end; k++) {
      line[k] = noted[k];
      active[k] = Math.abs(noted[k] - sung[k]) > 1e-9 ? 1 : 0;
      const by = (added ? added[k] : 0) + leaned[k];
      if (voiced[k] && Math.abs(by) >= LEAST_ADDED) {
        line[k] += by;
        active[k] = 1;
      }
    }
    // a line drawn to its steps goes through what was sung again and again: it is one edit all the same
    for (const w of this.whole?.spans ?? [])
      for (let k = Math.max(start, w.start); k < Math.min(end, w.end); k++) if (voiced[k]) active[k] = 1;
    for (let i = firstReaching(notes, start); i < notes.length; i++) {
      const from = notes[i].transitionIn?.from ?? notes[i].start;
      if (Math.min(from, notes[i].start) >= end) break;
      if (isNeutral(this.shapes[i])) continue;
      active.fill(1, Math.max(start, from), Math.max(start, Math.min(end, notes[i].transitionOut?.to ?? notes[i].end)));
    }
    offsetsOf(offsets, active, line, take, start, end);
  }

  private voice(): VoicePlan {
    const { offsets, active, joins, take, toned } = this;
    const { time, peaks, patched } = this.around;
    const sway = swayOf(take.notes, this.shapes, take.sung.length);
    const asked = added(added(this.levelDb, sway?.levelDb), toned?.levelDb);
    const levelDb = asked && peaks && asked.some(db => db > 0) ? withoutClipping(asked, peaks()) : asked;
    const follow = toned?.follow?.map((share, k) => share * offsets[k]);
    const formantCents = added(added(added(this.formantCents, sway?.formantCents), toned?.formantCents), follow);
    return {
      hop: this.take.reading.hop,
      offsetCents: offsets,
      active,
      joins,
      ...(time ? { time } : {}),
      ...(levelDb ? { levelDb } : {}),
      ...(formantCents ? { formantCents } : {}),
      ...(toned?.tone ? { tone: toned.tone } : {}),
      ...(patched?.length ? { patched } : {}),
    };
  }
}

type Curve = Float32Array | null | undefined;
/** Two curves together; either may be missing. */
const added = (a: Curve, b: Curve): Float32Array | undefined =>
  a && b ? a.map((v, k) => v + (b[k] ?? 0)) : (a ?? b ?? undefined);

/** Index of the first note whose frames, its ways over included, may reach a frame. Notes are in order; a way over is under a second. */
function firstReaching(notes: SplitTake['notes'], frame: number): number {
  let low = 0;
  let high = notes.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (notes[middle].end < frame - 200) low = middle + 1;
    else high = middle;
  }
  return low;
}

/** What the engine is told of frames [from, to): offsets where something is active. Unvoiced neighbours carry on, so that edges do not bend. */
function offsetsOf(
  offsetCents: Float32Array,
  active: Uint8Array,
  line: Float64Array,
  { sung, voiced }: SplitTake,
  from: number,
  to: number,
): void {
  const last = line.length - 1;
  for (let k = from; k < to; k++) {
    offsetCents[k] = 0;
    if (!active[k] || !voiced[k]) continue;
    // nothing that is no number reaches the engine: such a frame stays as sung
    if (!Number.isFinite(line[k])) line[k] = sung[k];
    offsetCents[k] = line[k] - sung[k];
  }
  const end = Math.min(last + 1, to + 1);
  for (let k = Math.max(0, from - 1); k < end; k++) {
    if (voiced[k]) continue;
    const [before, after] = [k > 0 && voiced[k - 1] > 0, k < last && voiced[k + 1] > 0];
    offsetCents[k] = before ? offsetCents[k - 1] : 0;
    if (after && offsetCents[k] === 0) offsetCents[k] = offsetCents[k + 1];
    if ((before && active[k - 1]) || (after && active[k + 1])) active[k] = 1;
  }
}

/** Turns an edited line into what the engine needs. @param active 1 where an edit holds; unvoiced neighbours are added */
export function voicePlan(take: SplitTake, line: Float64Array, active: Uint8Array): VoicePlan {
  const offsetCents = new Float32Array(line.length);
  offsetsOf(offsetCents, active, line, take, 0, line.length);
  return { hop: take.reading.hop, offsetCents, active, joins: joinsOf(take) };
}

/** Frames at which joined notes meet: the middles of their transitions. */
export function joinsOf({ notes }: SplitTake): number[] {
  return notes.flatMap(n =>
    n.joinedIn ? [n.transitionIn ? (n.transitionIn.from + n.transitionIn.to) / 2 : n.start] : [],
  );
}

export interface WholeTakeOptions extends Omit<Settling, 'glideMs'> {
  glideMs?: number | null;
  scale: Scale;
  slack?: Slack;
  guide?: readonly GuideSpan[];
}

/** Plan of a take that is tuned without notes. */
export function planWholeTake(
  take: SplitTake,
  { scale, slack = USUAL_SLACK, glideMs = null, guide, ...settling }: WholeTakeOptions,
): TakePlan {
  const span = { start: 0, end: take.sung.length };
  const whole = [{ ...span, settling: { ...settling, glideMs }, slack, scaleAt: () => scale, guide }];
  return new TakePlanner(take).plan({}, { whole });
}

/** Plan of a take from one shape a note. */
export const planShapes = (take: SplitTake, shapes: NoteShape[]): TakePlan => new TakePlanner(take).planShapes(shapes);

/** Plan of a take from its document edits. */
export const planTake = (take: SplitTake, edits: Edits, around: Surroundings = NOTHING): TakePlan =>
  new TakePlanner(take).plan(edits, around);
