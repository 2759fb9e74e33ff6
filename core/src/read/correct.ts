import { hzToMidi, midiToHz, type Midi, type Seconds } from '../units';
import { centreOf } from './centre';
import { rankKeys, tuningOf } from './key';
import { CANDIDATES_PER_FRAME as MOST, HOP, type NoiseKind, type ReadNote, type Reading } from './reading';
import type { Span } from '../units';

/** What a stretch of a take is. */
export const STRETCH_KINDS = ['sung', 'spoken', 'sibilant', 'plosive', 'breath', 'none'] as const;
export type StretchKind = (typeof STRETCH_KINDS)[number];

/** A stretch that is to be heard at another pitch than Essim heard; the pitch is absolute, so that it outlives a new reading. */
export interface HeardAt extends Span {
  midi: Midi;
}
/** Within this stretch the notes are exactly these. */
export interface NoteRegion extends Span {
  notes: Span[];
}
export interface KindSpan extends Span {
  kind: StretchKind;
}

/** What the user put right in a take's reading, in source seconds. Each list is in time order and without overlaps. */
export interface ReadingCorrections {
  heard: readonly HeardAt[];
  regions: readonly NoteRegion[];
  kinds: readonly KindSpan[];
}

/** A correction that no longer says anything about what is heard there. */
export interface Misfit extends Span {
  what: string;
}

export interface Corrected {
  reading: Reading;
  /** Stretches whose pitch was chosen without any evidence for it: the line is folded there by octaves. */
  assumed: Span[];
  misfits: Misfit[];
}

/** A candidate further from the chosen pitch than this is not meant; glides and vibratos stay within it. */
const NEAR_SEMITONES = 5;
/** Ratios of the fine pitch that a choice may mean: octaves and twelfths, whose candidates are the same period counted otherwise. */
const RATIOS = [1, 2, 0.5, 4, 0.25, 3, 1 / 3, 1.5, 2 / 3];
/** Less of a note's frames sung than this, and there is no note. */
const LEAST_SUNG = 0.3;
const SHORTEST: Seconds = 0.03;

const frameOf = (t: Seconds): number => Math.round(t / HOP);
const overlap = (a: Span, b: Span): Seconds => Math.min(a.end, b.end) - Math.max(a.start, b.start);

/**
 * A reading with the user's corrections. The reading given is not changed; without corrections it is returned as it is.
 */
export function correctReading(auto: Reading, c: ReadingCorrections): Corrected {
  if (!c.heard.length && !c.regions.length && !c.kinds.length) return { reading: auto, assumed: [], misfits: [] };
  const f0 = Float32Array.from(auto.f0);
  const misfits: Misfit[] = [];
  for (const k of c.kinds) {
    const [a, z] = [Math.max(0, frameOf(k.start)), Math.min(f0.length, frameOf(k.end))];
    if (k.kind === 'sung') singFrames(f0, auto, a, z);
    else if (k.kind !== 'spoken') f0.fill(0, a, z);
  }
  const assumed: Span[] = [];
  for (const h of c.heard) {
    const guessed = hearAt(f0, auto, h);
    if (guessed === null)
      misfits.push({ start: h.start, end: h.end, what: 'nothing is sung where a pitch was chosen' });
    else assumed.push(...guessed);
  }
  const notes = notesOf(auto, f0, c, misfits);
  const tuningCents = tuningOf(notes);
  return {
    reading: {
      ...auto,
      f0,
      notes,
      noises: [
        ...auto.noises.flatMap(n => minus(n, c.kinds).map(s => ({ ...n, ...s }))),
        ...c.kinds.flatMap(k => (isNoise(k.kind) ? [{ start: k.start, end: k.end, kind: k.kind }] : [])),
      ].sort((a, b) => a.start - b.start),
      spoken: [
        ...auto.spoken.flatMap(s => minus(s, c.kinds)),
        ...c.kinds.filter(k => k.kind === 'spoken').map(({ start, end }) => ({ start, end })),
      ].sort((a, b) => a.start - b.start),
      keys: rankKeys(notes, tuningCents),
      tuningCents,
    },
    assumed,
    misfits,
  };
}

export const isNoise = (kind: StretchKind): kind is NoiseKind =>
  kind === 'sibilant' || kind === 'plosive' || kind === 'breath';

/** What is left of a span without others; pieces too short to mean anything are dropped. */
export function minus(span: Span, others: readonly Span[]): Span[] {
  let left = [{ start: span.start, end: span.end }];
  for (const o of others)
    left = left.flatMap(s =>
      overlap(s, o) <= 0
        ? [s]
        : [
            { start: s.start, end: Math.min(s.end, o.start) },
            { start: Math.max(s.start, o.end), end: s.end },
          ].filter(p => p.end - p.start > 1e-9),
    );
  return left.filter(s => s.end - s.start >= Math.min(SHORTEST, span.end - span.start) - 1e-9);
}

/** Gives silent frames of a stretch the best candidate near what is sung about them. */
function singFrames(f0: Float32Array, { candidates: c }: Reading, a: number, z: number): void {
  let last = 0;
  for (let k = a - 1; k >= 0 && k > a - 40 && !last; k--) last = f0[k];
  for (let k = z; k < f0.length && k < z + 40 && !last; k++) last = f0[k];
  for (let k = a; k < z; k++) {
    if (f0[k] > 0) {
      last = f0[k];
      continue;
    }
    const q = Math.min(c.count.length - 1, k >> 1);
    let best = 0;
    let most = 0;
    for (let j = 0; j < c.count[q]; j++) {
      const hz = c.hz[q * MOST + j];
      const near = last ? Math.exp(-Math.abs(Math.log2(hz / last)) * 2) : 1;
      const weight = near * (0.3 + c.periodicity[q * MOST + j]);
      if (weight > most) [most, best] = [weight, hz];
    }
    f0[k] = best || last;
    last = f0[k] || last;
  }
}

/** Moves the sung frames of a stretch to the evidence nearest a chosen pitch; returns where there was none, null where nothing is sung. */
function hearAt(f0: Float32Array, { candidates: c }: Reading, h: HeardAt): Span[] | null {
  const [a, z] = [Math.max(0, frameOf(h.start)), Math.min(f0.length, frameOf(h.end))];
  const wanted = Math.log2(midiToHz(h.midi));
  const assumed: Span[] = [];
  let any = false;
  for (let k = a; k < z; k++) {
    if (!(f0[k] > 0)) continue;
    any = true;
    const q = Math.min(c.count.length - 1, k >> 1);
    let best = 0;
    let away = NEAR_SEMITONES / 12;
    for (let j = 0; j < c.count[q]; j++) {
      const d = Math.abs(Math.log2(c.hz[q * MOST + j]) - wanted);
      if (d < away) [away, best] = [d, c.hz[q * MOST + j]];
    }
    if (best) {
      // the fine pitch times a whole ratio is finer than a candidate
      const ratio = RATIOS.find(r => Math.abs(Math.log2((f0[k] * r) / best)) < 0.5 / 12);
      f0[k] = ratio ? f0[k] * ratio : best;
      continue;
    }
    f0[k] *= 2 ** Math.round(wanted - Math.log2(f0[k]));
    const last = assumed[assumed.length - 1];
    if (last && k * HOP - last.end < 2.5 * HOP) last.end = (k + 1) * HOP;
    else assumed.push({ start: k * HOP, end: (k + 1) * HOP });
  }
  return any ? assumed.filter(s => s.end - s.start > 0.03) : null;
}

function notesOf(auto: Reading, f0: Float32Array, c: ReadingCorrections, misfits: Misfit[]): ReadNote[] {
  const silent = c.kinds.filter(k => k.kind !== 'sung');
  const inRegion = (n: Span) => c.regions.some(r => overlap(n, r) > 0.5 * (n.end - n.start));
  const out: ReadNote[] = auto.notes
    .filter(n => !inRegion(n))
    .flatMap(n => minus(n, c.regions).map(s => ({ ...n, ...s })));
  for (const region of c.regions)
    for (const n of region.notes) {
      if (sungShare(f0, n) < LEAST_SUNG) {
        misfits.push({ ...n, what: 'nothing is sung where a note was set' });
        continue;
      }
      const near = auto.notes.find(o => Math.abs(o.start - n.start) < 0.03);
      out.push({ start: n.start, end: n.end, pitch: 0, onset: near?.onset ?? n.start });
    }
  out.sort((x, y) => x.start - y.start);
  for (const k of c.kinds) if (k.kind === 'sung') takeIn(out, k);
  return out
    .flatMap(n => minus(n, silent).map(s => ({ ...n, ...s })))
    .filter(n => sungShare(f0, n) >= LEAST_SUNG)
    .map(n => {
      const same = auto.notes.find(o => o.start === n.start && o.end === n.end);
      const pitch = same && unchanged(f0, auto.f0, n) ? same.pitch : centreOf(f0, auto.levelDb, n);
      return { ...n, pitch, onset: Math.max(n.start - 0.06, Math.min(n.end, n.onset)) };
    })
    .sort((x, y) => x.start - y.start);
}

/** A stretch made sung lengthens the note it touches, or is a note of its own. */
function takeIn(notes: ReadNote[], k: Span): void {
  const rest = minus(k, notes);
  for (const s of rest) {
    const before = notes.find(n => Math.abs(n.end - s.start) < 0.025);
    const after = notes.find(n => Math.abs(n.start - s.end) < 0.025);
    if (before) before.end = s.end;
    else if (after) after.start = s.start;
    else notes.push({ ...s, pitch: 0, onset: s.start });
  }
}

const unchanged = (a: Float32Array, b: Float32Array, s: Span): boolean => {
  for (let k = frameOf(s.start); k < frameOf(s.end); k++) if (a[k] !== b[k]) return false;
  return true;
};

function sungShare(f0: Float32Array, s: Span): number {
  const [a, z] = [frameOf(s.start), frameOf(s.end)];
  let sung = 0;
  for (let k = a; k < z; k++) if (f0[k] > 0) sung++;
  return sung / Math.max(1, z - a);
}

// ---- making corrections: each returns new lists

/** Puts a span into a list in place of what it covers. */
function laid<T extends Span>(list: readonly T[], span: T): T[] {
  const left = list.flatMap(s => minus(s, [span]).map(p => ({ ...s, ...p })));
  return [...left, span].sort((a, b) => a.start - b.start);
}

/** A stretch is to be heard at a pitch. */
export const hear = (c: ReadingCorrections, at: HeardAt): ReadingCorrections => ({ ...c, heard: laid(c.heard, at) });

/** A stretch is of a kind. */
export const setKind = (c: ReadingCorrections, span: KindSpan): ReadingCorrections => ({
  ...c,
  kinds: laid(c.kinds, span),
});

/** Within a stretch the notes are these. Regions it touches become one with it. */
export function setNotes(c: ReadingCorrections, region: NoteRegion): ReadingCorrections {
  const touched = c.regions.filter(r => overlap(r, region) > 0);
  const whole: NoteRegion = {
    start: Math.min(region.start, ...touched.map(r => r.start)),
    end: Math.max(region.end, ...touched.map(r => r.end)),
    notes: [
      ...touched.flatMap(r => r.notes.filter(n => overlap(n, region) <= 1e-9)),
      ...region.notes.map(({ start, end }) => ({ start, end })),
    ].sort((a, b) => a.start - b.start),
  };
  const others = c.regions.filter(r => !touched.includes(r));
  return { ...c, regions: [...others, whole].sort((a, b) => a.start - b.start) };
}

/** Takes every correction off a stretch. */
export const asRead = (c: ReadingCorrections, span: Span): ReadingCorrections => ({
  heard: c.heard.filter(s => overlap(s, span) <= 1e-9),
  regions: c.regions.filter(s => overlap(s, span) <= 1e-9),
  kinds: c.kinds.filter(s => overlap(s, span) <= 1e-9),
});

// ---- notes as the user works on them

const spanOf = ({ start, end }: Span): Span => ({ start, end });

/** Cuts a note at moments inside it. */
export function splitNote(c: ReadingCorrections, note: Span, at: readonly Seconds[]): ReadingCorrections {
  const cuts = [...new Set(at)].filter(t => t > note.start + SHORTEST && t < note.end - SHORTEST).sort((a, b) => a - b);
  if (!cuts.length) return c;
  const edges = [note.start, ...cuts, note.end];
  return setNotes(c, { ...spanOf(note), notes: edges.slice(1).map((end, i) => ({ start: edges[i], end })) });
}

/** Makes neighbouring notes one, the gap between them included. */
export const joinNotes = (c: ReadingCorrections, notes: readonly Span[]): ReadingCorrections => {
  if (notes.length < 2) return c;
  const span = { start: Math.min(...notes.map(n => n.start)), end: Math.max(...notes.map(n => n.end)) };
  return setNotes(c, { ...span, notes: [span] });
};

/** There is no note here. */
export const removeNotes = (c: ReadingCorrections, notes: readonly Span[]): ReadingCorrections =>
  notes.reduce((sum, n) => setNotes(sum, { ...spanOf(n), notes: [] }), c);

/** There is a note here, whatever was heard. */
export const addNote = (c: ReadingCorrections, span: Span): ReadingCorrections =>
  setNotes(c, { ...spanOf(span), notes: [spanOf(span)] });

/** Moves one border of a note. A neighbour that touches it gives way, down to a shortest length; so does one that is reached. */
export function moveBorder(
  c: ReadingCorrections,
  notes: readonly Span[],
  index: number,
  side: 'start' | 'end',
  to: Seconds,
): ReadingCorrections {
  const n = notes[index];
  const other = notes[side === 'start' ? index - 1 : index + 1];
  const touches = other && Math.abs(side === 'start' ? other.end - n.start : other.start - n.end) < 0.012;
  const bound = other
    ? side === 'start'
      ? other.start + SHORTEST
      : other.end - SHORTEST
    : side === 'start'
      ? 0
      : Infinity;
  const at =
    side === 'start'
      ? Math.max(bound, Math.min(to, n.end - SHORTEST))
      : Math.min(bound, Math.max(to, n.start + SHORTEST));
  const moved = side === 'start' ? { start: at, end: n.end } : { start: n.start, end: at };
  const reached = other && (side === 'start' ? at < other.end : at > other.start);
  const list = [moved];
  if (other && (touches || reached))
    list.push(side === 'start' ? { start: other.start, end: at } : { start: at, end: other.end });
  list.sort((a, b) => a.start - b.start);
  const all = [n, ...(list.length > 1 ? [other] : []), ...list];
  const region = { start: Math.min(...all.map(s => s.start)), end: Math.max(...all.map(s => s.end)) };
  return setNotes(c, { ...region, notes: list });
}

export const noCorrections: ReadingCorrections = { heard: [], regions: [], kinds: [] };

/** Pitch line of a reading, MIDI per frame, NaN where nothing is sung. */
export const lineInMidi = (reading: Reading): Float32Array =>
  Float32Array.from(reading.f0, hz => (hz > 0 ? hzToMidi(hz) : NaN));
