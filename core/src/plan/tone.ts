import { COLOUR_BANDS, type FadeShape, type NoteEdit, type NotePart } from '../song/document';
import { TONE_OF_PARTS } from '../song/note-parts';
import { spokenSyllables, type Reading } from '../read';
import { clamp, smoothStep, type Decibels, type Seconds, type Span } from '../units';
import type { ToneCurve } from '../voice';
import type { FrameSpan } from './movement';
import type { SplitTake } from './split';

/**
 * How loud and how coloured a take is meant to be, from what was decided about its notes. Curves are a number a frame, in source time; a
 * note takes its consonants along, and between two notes one goes over into the other.
 */

/** Centres of the bands a voice's colour is told in, Hz: about a third of an octave apart. */
export const BANDS: Float32Array = Float32Array.from(
  { length: COLOUR_BANDS },
  (_, i) => 200 * 50 ** (i / (COLOUR_BANDS - 1)),
);
/** Brightness tilts about this, and is as asked at that. */
const TILT = { about: 2000, full: 8000 };

/** An unpitched sound belongs to the note it leads to when it ends so near it, and else to the one it ends, s. */
const LEADS_WITHIN: Seconds = 0.08;
const ENDS_WITHIN: Seconds = 0.15;
/** Over which one note goes over into another, and into a rest, frames. */
const OVER = 3;
const OVER_REST = 8;
const SILENT = 1e-6;

export const DEEPEST: Decibels = -120;
const dbOf = (gain: number): Decibels => (gain <= SILENT ? DEEPEST : 20 * Math.log10(gain));
const gainOf = (db: Decibels): number => 10 ** (db / 20);

const TONE_FIELDS = [
  'startDb',
  'middleDb',
  'endDb',
  'evenDb',
  'lift',
  'ease',
  'fadeIn',
  'fadeOut',
  'fadeShape',
  'silent',
  'formant',
  'follow',
  'colour',
  'colourAmount',
  'brightness',
  'swayDb',
  'swayHz',
] as const satisfies readonly (keyof NoteEdit)[];
/** What of a note's edit is about its tone. */
export const isToneField = (field: string): boolean => (TONE_FIELDS as readonly string[]).includes(field);

type Tone = Pick<NoteEdit, (typeof TONE_FIELDS)[number]>;
const partsTone = (e: NoteEdit | undefined): readonly NotePart[] =>
  e?.parts?.filter(p => TONE_OF_PARTS.some(f => p[f] !== undefined)) ?? [];
const sameParts = (a: readonly NotePart[], b: readonly NotePart[]): boolean =>
  a.length === b.length &&
  a.every((p, i) => (['start', 'end', ...TONE_OF_PARTS] as const).every(k => p[k] === b[i][k]));
const sameTone = (a: NoteEdit | undefined, b: NoteEdit | undefined): boolean =>
  a === b || (TONE_FIELDS.every(k => a?.[k] === b?.[k]) && sameParts(partsTone(a), partsTone(b)));
const hasTone = (e: NoteEdit | undefined): boolean =>
  !!e && (TONE_FIELDS.some(k => e[k] !== undefined) || partsTone(e).length > 0);

/** Over which one part of a note goes over into another, frames either way. */
const OVER_PART = 4;

/** What holds of a note at a frame, parts of it told otherwise: from one to the other in 40 ms. */
function valueAt(
  e: NoteEdit,
  parts: readonly NotePart[],
  field: (typeof TONE_OF_PARTS)[number],
  k: number,
  hop: number,
): number {
  const whole = e[field] ?? 0;
  let value = whole;
  for (const p of parts) {
    const own = p[field];
    if (own === undefined) continue;
    const into = (k - p.start / hop + OVER_PART) / (2 * OVER_PART);
    const out = (p.end / hop - k + OVER_PART) / (2 * OVER_PART);
    value += (own - whole) * smoothStep(clamp(into, 0, 1)) * smoothStep(clamp(out, 0, 1));
  }
  return value;
}

/** From 0 to 1 as a fade runs. */
export function fadeAt(u: number, shape: FadeShape = 'smooth'): number {
  const v = clamp(u, 0, 1);
  if (shape === 'straight') return v;
  if (shape === 'early') return Math.sin((Math.PI / 2) * v);
  if (shape === 'late') return 1 - Math.cos((Math.PI / 2) * v);
  return 0.5 - 0.5 * Math.cos(Math.PI * v);
}

/** A smooth line through a note's start, middle and end (Fritsch and Carlson 1980: no hill between that nobody asked for). @param u 0..1 */
export function levelAt({ startDb = 0, middleDb = 0, endDb = 0 }: Tone, u: number): Decibels {
  const [first, second] = [2 * (middleDb - startDb), 2 * (endDb - middleDb)];
  const middle = first * second > 0 ? (2 * first * second) / (first + second) : 0;
  const half = u < 0.5;
  const [a, b, p, q] = half ? [startDb, middleDb, first, middle] : [middleDb, endDb, middle, second];
  const v = (half ? u : u - 0.5) * 2;
  const h = 0.5;
  const [v2, v3] = [v * v, v * v * v];
  return (2 * v3 - 3 * v2 + 1) * a + (v3 - 2 * v2 + v) * h * p + (-2 * v3 + 3 * v2) * b + (v3 - v2) * h * q;
}

/** What of a take is a note's or a spoken syllable's, its consonants among it, in frames. @param own what sounds of each, in order */
export function syllableExtents(own: readonly FrameSpan[], reading: Pick<Reading, 'hop' | 'noises'>): FrameSpan[] {
  const { hop } = reading;
  const out = own.map(n => ({ start: n.start, end: n.end }));
  for (const { kind, start, end } of reading.noises) {
    if (kind === 'breath') continue;
    const [from, to] = [Math.floor(start / hop), Math.ceil(end / hop)];
    const next = out.findIndex(n => n.start >= to - OVER);
    const before = next < 0 ? out.length - 1 : next - 1;
    const leads = next >= 0 && (out[next].start - to) * hop <= LEADS_WITHIN;
    if (leads) {
      out[next].start = Math.max(Math.min(out[next].start, from), before >= 0 ? out[before].end : 0);
    } else if (before >= 0 && (from - out[before].end) * hop <= ENDS_WITHIN) {
      out[before].end = Math.max(out[before].end, Math.min(to, next >= 0 ? out[next].start : to));
    }
  }
  return out;
}

/** How much of each frame near a note is that note's: 1 within, going over to 0. */
function* weights(
  extents: readonly FrameSpan[],
  i: number,
  frames: number,
): Generator<[frame: number, weight: number]> {
  const { start, end } = extents[i];
  const [before, after] = [extents[i - 1] as FrameSpan | undefined, extents[i + 1] as FrameSpan | undefined];
  // where two notes meet, each has half of the way; in a rest the way lies in the rest
  const edge = (a: number, b: number) => {
    const rest = b - a;
    return rest <= 2 * OVER ? { at: (a + b) / 2, half: OVER } : null;
  };
  const left = before && edge(before.end, start);
  const right = after && edge(end, after.start);
  const restBefore = Math.min(OVER_REST, before ? (start - before.end) / 2 : OVER_REST);
  const restAfter = Math.min(OVER_REST, after ? (after.start - end) / 2 : OVER_REST);
  const rises = left ? [left.at - left.half, left.at + left.half] : [start - restBefore, start];
  const falls = right ? [right.at - right.half, right.at + right.half] : [end, end + restAfter];
  for (let k = Math.max(0, Math.floor(rises[0])); k < Math.min(frames, Math.ceil(falls[1])); k++) {
    const w =
      Math.min(1, smoothStep((k - rises[0]) / (rises[1] - rises[0]))) *
      (1 - Math.max(0, smoothStep((k - falls[0]) / (falls[1] - falls[0]))));
    if (w > 0) yield [k, w];
  }
}

/** A note or a spoken syllable as its tone is told. */
interface Toned {
  /** What sounds of it, frames. */
  own: FrameSpan;
  onset: Seconds;
  /** Its place among the edits. */
  index: number;
}

function tonedOf({ notes, reading }: Pick<SplitTake, 'notes' | 'reading'>): Toned[] {
  const { hop } = reading;
  const sung = notes.map(({ start, end }, index) => ({
    own: { start, end },
    onset: reading.notes[index].onset,
    index,
  }));
  const spoken = spokenSyllables(reading).map(({ start, end, onset }, i) => ({
    own: { start: Math.round(start / hop), end: Math.round(end / hop) },
    onset,
    index: notes.length + i,
  }));
  return spoken.length ? [...sung, ...spoken].sort((a, b) => a.own.start - b.own.start) : sung;
}

/** What notes ask of loudness and colour. */
export interface NoteTones {
  levelDb: Float32Array | null;
  /** By which formants are moved whatever the pitch does, cents, and how far they follow it, 0..1. */
  formantCents: Float32Array | null;
  follow: Float32Array | null;
  tone: ToneCurve | null;
}

/** Makes a take's tone curves, anew only when something about them changed. */
export class NoteCurves {
  private readonly toned: Toned[];
  private readonly extents: FrameSpan[];
  private edits: readonly (NoteEdit | undefined)[] = [];
  private made: NoteTones = { levelDb: null, formantCents: null, follow: null, tone: null };

  constructor(private readonly take: SplitTake) {
    this.toned = tonedOf(take);
    this.extents = syllableExtents(
      this.toned.map(t => t.own),
      take.reading,
    );
  }

  /** @param edits in the order of what they are made for @returns the same object while nothing changed */
  plan(edits: readonly (NoteEdit | undefined)[]): NoteTones {
    const n = this.toned.length;
    let same = this.edits.length === n || !edits.some(hasTone);
    for (let i = 0; same && i < n; i++) same = sameTone(this.edits[i], edits[i]);
    this.edits = edits;
    if (!same) this.made = this.make(edits);
    return this.made;
  }

  private make(edits: readonly (NoteEdit | undefined)[]): NoteTones {
    const { extents, toned, take } = this;
    const { reading, sung } = take;
    const frames = sung.length;
    const { hop } = reading;
    const asks = (...fields: (keyof Tone)[]) => edits.some(e => e && fields.some(f => e[f] !== undefined));
    const asksIn = (field: (typeof TONE_OF_PARTS)[number]) =>
      asks(field) || edits.some(e => partsTone(e).some(p => p[field] !== undefined));
    const gains = asks('startDb', 'middleDb', 'endDb', 'evenDb', 'fadeIn', 'fadeOut', 'silent', 'swayDb')
      ? new Float32Array(frames).fill(1)
      : null;
    const formantCents = asksIn('formant') ? new Float32Array(frames) : null;
    const follow = asksIn('follow') ? new Float32Array(frames) : null;
    const bands = asks('colour', 'brightness') ? new Float32Array(frames * COLOUR_BANDS) : null;
    toned.forEach(({ own, onset, index }, i) => {
      const e = edits[index];
      if (!e || !hasTone(e)) return;
      const colour = bands && colourAdded(e);
      const parts = partsTone(e);
      for (const [k, w] of weights(extents, i, frames)) {
        if (gains) gains[k] += w * (gainAt(e, k, extents[i], own, k * hop - onset, hop) - 1);
        if (formantCents) formantCents[k] += w * 100 * valueAt(e, parts, 'formant', k, hop);
        if (follow) follow[k] += (w * valueAt(e, parts, 'follow', k, hop)) / 100;
        if (bands && colour) for (let b = 0; b < COLOUR_BANDS; b++) bands[k * COLOUR_BANDS + b] += w * colour[b];
      }
    });
    return {
      levelDb: gains && gains.map(dbOf),
      formantCents,
      follow,
      tone: bands && { bands: BANDS, gainsDb: bands },
    };
  }
}

/** Gain of a note at a frame; its consonants are as loud as its ends. @param since after its onset, s */
function gainAt(
  e: NoteEdit,
  k: number,
  { start, end }: FrameSpan,
  own: FrameSpan,
  since: Seconds,
  hop: number,
): number {
  if (e.silent) return 0;
  const u = clamp((k - own.start) / Math.max(1, own.end - own.start), 0, 1);
  let gain = gainOf(levelAt(e, u) + (e.evenDb ?? 0));
  if (e.swayDb) {
    const into = smoothStep(since / 0.3);
    gain *= gainOf(e.swayDb * into * Math.sin(2 * Math.PI * (e.swayHz ?? 5) * Math.max(0, since)));
  }
  const ms = hop * 1000;
  if (e.fadeIn) gain *= fadeAt(((k - start) * ms) / e.fadeIn, e.fadeShape);
  if (e.fadeOut) gain *= fadeAt(((end - k) * ms) / e.fadeOut, e.fadeShape);
  return gain;
}

/** What a note adds to each band, dB; null where nothing. */
export function colourAdded({ colour, colourAmount = 100, brightness = 0 }: NoteEdit): number[] | null {
  if (!colour && !brightness) return null;
  return Array.from(BANDS, (hz, b) => {
    const tilt = clamp(Math.log2(hz / TILT.about) / Math.log2(TILT.full / TILT.about), -1.2, 1.2);
    return ((colour?.[b] ?? 0) * colourAmount) / 100 + brightness * tilt;
  });
}

/** A stretch turned up or down, take time. */
export interface GainSpan extends Span {
  db: Decibels;
  /** Over which it goes there and back, outside of it; s. */
  over: Seconds;
}

/** The gains of some stretches together, dB a frame. */
export function spanGains(spans: readonly GainSpan[], hop: Seconds, frames: number): Float32Array {
  const out = new Float32Array(frames);
  for (const { start, end, db, over } of spans) {
    const gain = gainOf(db);
    // a frame stands for the way to its neighbours: what is silent is silent to its ends
    const [from, to] = [start / hop - 0.5, end / hop + 0.5];
    const way = Math.max(1, over / hop);
    for (let k = Math.max(0, Math.floor(from - way)); k <= Math.min(frames - 1, Math.ceil(to + way)); k++) {
      const away = Math.max(0, from - k, k - to) / way;
      if (away < 1) out[k] = Math.max(DEEPEST, out[k] + dbOf(gain + (1 - gain) * smoothStep(away)));
    }
  }
  return out;
}

/** Peaks are kept under this, dBTP. */
const CEILING: Decibels = -1;
/** What pitch and colour may add to a peak, dB. */
const SPARE: Decibels = 1;
/** A limited gain comes and goes within so many frames. */
const LOOK = 6;

/** Gains held back where a lift would clip. @param peakDb highest sample about each frame */
export function withoutClipping(levelDb: Float32Array, peakDb: ArrayLike<Decibels>): Float32Array {
  let lifts = false;
  const most = levelDb.map((db, k) => {
    const room = Math.max(0, CEILING - SPARE - (peakDb[k] ?? DEEPEST));
    if (db > room) lifts = true;
    return db - Math.min(db, room);
  });
  if (!lifts) return levelDb;
  // what is taken off comes early and goes late, smoothly
  const held = most.map((_, k) => {
    let take = 0;
    for (let j = Math.max(0, k - LOOK); j <= Math.min(most.length - 1, k + LOOK); j++) take = Math.max(take, most[j]);
    return take;
  });
  return levelDb.map((db, k) => {
    let [sum, count] = [0, 0];
    for (let j = Math.max(0, k - LOOK); j <= Math.min(held.length - 1, k + LOOK); j++) {
      sum += held[j];
      count++;
    }
    return db - sum / count;
  });
}
