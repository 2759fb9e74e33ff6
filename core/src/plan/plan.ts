import type { Reading } from '../read';
import { NoteEdit, noteKey } from '../song/document';
import type { TimeMap } from '../song/timemap';
import { hzToCents, type Cents } from '../units';
import { leanCents, type LeanTo } from './lean';
import { levelLeanDb, type LevelLeanTo } from './level-lean';
import { turnedVibrato, type VibratoTurn } from './vibrato';
import type { VoicePlan } from '../voice';
import { AS_SUNG, editedLine, type Wish } from './line';
import { chainsOf, JOIN_REACH, splitNotes, type FrameSpan, type NoteMovement } from './movement';

/** A reading made ready for editing: the sung line in cents and each note's movement. Made once a reading. */
export interface Movements {
  reading: Reading;
  /** Cents per frame; the last sung value goes on where nothing is sung. */
  sung: Float64Array;
  /** 1 where voiced, 0 elsewhere. */
  voiced: Float64Array;
  /** What was read as notes, frames. */
  frames: FrameSpan[];
  notes: NoteMovement[];
}

/**
 * Splits every note of a reading.
 * @param before the same by an older reading of the take: notes that hang together and are the same in it are taken over
 * Cost: about 1/100 of real time; after a change, of the length that changed.
 */
export function moveNotes(reading: Reading, before?: Movements): Movements {
  const { f0, hop } = reading;
  const sung = new Float64Array(f0.length);
  const voiced = new Float64Array(f0.length);
  let held: Cents = 0;
  for (let k = 0; k < f0.length; k++) {
    if (f0[k] > 0) {
      held = hzToCents(f0[k]);
      voiced[k] = 1;
    }
    sung[k] = held;
  }
  const frames = reading.notes.map(n => ({
    start: Math.round(n.start / hop),
    end: Math.min(f0.length, Math.round(n.end / hop)),
  }));
  const notes: NoteMovement[] = [];
  for (const [from, to] of chainsOf(voiced, frames)) {
    const chain = frames.slice(from, to);
    notes.push(...((before && keptChain(before, sung, voiced, chain)) ?? splitNotes(sung, voiced, chain)));
  }
  return { reading, sung, voiced, frames, notes };
}

/** The movements of a chain of joined notes as they were, when nothing in it changed. */
function keptChain(
  before: Movements,
  sung: Float64Array,
  voiced: Float64Array,
  chain: FrameSpan[],
): NoteMovement[] | null {
  const { frames, notes } = before;
  const i = firstAt(frames, chain[0].start);
  const same = (f: FrameSpan, j: number) => frames[i + j]?.start === f.start && frames[i + j].end === f.end;
  if (i < 0 || !chain.every(same)) return null;
  const kept = notes.slice(i, i + chain.length);
  if (kept[0].joinedIn || kept[kept.length - 1].joinedOut) return null;
  const end = Math.min(sung.length, before.sung.length, chain[chain.length - 1].end + JOIN_REACH);
  for (let k = Math.max(0, chain[0].start - JOIN_REACH); k < end; k++)
    if (voiced[k] !== before.voiced[k] || (voiced[k] && sung[k] !== before.sung[k])) return null;
  return kept;
}

/** Index of the note that begins at a frame, -1 when none does. */
function firstAt(frames: readonly FrameSpan[], start: number): number {
  let low = 0;
  let high = frames.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (frames[middle].start < start) low = middle + 1;
    else high = middle;
  }
  return frames[low]?.start === start ? low : -1;
}

/** A note with its edits as the engine understands them. */
export function wishOf(edit: NoteEdit | undefined): Wish {
  if (!edit) return AS_SUNG;
  const share = (v: number | undefined) => (v ?? 100) / 100;
  return {
    rail: edit.target === undefined ? null : edit.target * 100,
    aim: share(edit.aim),
    wander: share(edit.wander),
    vibrato: share(edit.vibrato),
    scoop: share(edit.scoop),
    fall: share(edit.fall),
    glide: edit.glide ?? null,
    settle: 0,
  };
}

const isNeutral = (w: Wish) =>
  (w.rail === null || w.aim === 0) &&
  w.wander === 1 &&
  w.vibrato === 1 &&
  w.scoop === 1 &&
  w.fall === 1 &&
  w.glide === null;

/** What will be heard of a take. */
export interface TakePlan {
  voice: VoicePlan;
  /** Edited line, cents per frame. */
  line: Float64Array;
}

/** Edits of notes by the reading's order, matched by key, else by the most overlap in time. */
export function editsInOrder(reading: Reading, edits: Readonly<Record<string, NoteEdit>>): (NoteEdit | undefined)[] {
  const keys = reading.notes.map(noteKey);
  const out = keys.map(k => edits[k] as NoteEdit | undefined);
  const known = new Set(keys);
  for (const [key, edit] of Object.entries(edits)) {
    if (known.has(key)) continue;
    let best = -1;
    let most = 0;
    reading.notes.forEach((n, i) => {
      const overlap = Math.min(n.end, edit.end) - Math.max(n.start, edit.start);
      if (overlap > most && !out[i]) [most, best] = [overlap, i];
    });
    if (best >= 0) out[best] = edit;
  }
  return out;
}

/** Plan of a take from one wish a note. Neutral wishes leave the voice untouched, bit for bit. */
export function planWishes(m: Movements, wishes: Wish[]): TakePlan {
  const frames = m.sung.length;
  const line = editedLine(m.sung, m.voiced, m.notes, wishes);
  const active = new Uint8Array(frames);
  m.notes.forEach((o, i) => {
    if (!isNeutral(wishes[i])) active.fill(1, o.transitionIn?.from ?? o.start, o.transitionOut?.to ?? o.end);
  });
  for (let k = 0; k < frames; k++) if (Math.abs(line[k] - m.sung[k]) > 1e-9) active[k] = 1;
  return { voice: voicePlan(m, line, active), line };
}

/** Turns an edited line into what the engine needs. Unvoiced frames carry their neighbour's offset, so that edges do not bend. */
export function voicePlan(m: Movements, line: Float64Array, active: Uint8Array): VoicePlan {
  const frames = line.length;
  const offsetCents = new Float32Array(frames);
  for (let k = 0; k < frames; k++) {
    if (!active[k] || !m.voiced[k]) continue;
    // nothing that is no number reaches the engine: such a frame stays as sung
    if (!Number.isFinite(line[k])) line[k] = m.sung[k];
    offsetCents[k] = line[k] - m.sung[k];
  }
  for (let k = 1; k < frames; k++) if (!m.voiced[k] && m.voiced[k - 1]) offsetCents[k] = offsetCents[k - 1];
  for (let k = frames - 2; k >= 0; k--)
    if (!m.voiced[k] && m.voiced[k + 1] && offsetCents[k] === 0) offsetCents[k] = offsetCents[k + 1];
  for (let k = 0; k < frames; k++)
    if (!m.voiced[k])
      active[k] =
        (k > 0 && active[k - 1] && m.voiced[k - 1]) || (k + 1 < frames && active[k + 1] && m.voiced[k + 1])
          ? 1
          : active[k];
  return { hop: m.reading.hop, offsetCents, active, joins: joinsOf(m) };
}

/** Frames at which joined notes meet: the middles of their transitions. */
export function joinsOf(m: Movements): number[] {
  return m.notes.flatMap(n =>
    n.joinedIn ? [n.transitionIn ? (n.transitionIn.from + n.transitionIn.to) / 2 : n.start] : [],
  );
}

/** What a track asks of a take besides its notes' edits: as a follower, or as a part. Curves are a number a frame. */
export interface TakeBearing {
  /** Take time to heard time. */
  time?: TimeMap;
  lean?: LeanTo;
  levelLean?: LevelLeanTo;
  /** Added to the pitch of everything sung. */
  cents?: Float32Array;
  /** Another rate and phase for the vibrato of each note, by its order. */
  turns?: readonly VibratoTurn[];
  levelDb?: Float32Array;
  /** Semitones. */
  formant?: number;
}

/** Plan of a take from its document edits. */
export function planTake(
  m: Movements,
  edits: Readonly<Record<string, NoteEdit>>,
  { time, lean, levelLean, cents, turns, levelDb, formant }: TakeBearing = {},
): TakePlan {
  const wishes = editsInOrder(m.reading, edits).map(wishOf);
  const planned = planWishes(m, wishes);
  const { voice, line } = planned;
  const add = [cents, turns && turnedCents(m, wishes, turns), lean && leanCents(line, m.voiced, m.frames, lean)].filter(
    c => c !== undefined,
  );
  if (add.length) {
    const active = voice.active.slice();
    for (let k = 0; k < line.length; k++) {
      const by = add.reduce((s, c) => s + (c[k] ?? 0), 0);
      if (!m.voiced[k] || Math.abs(by) < LEAST_ADDED) continue;
      line[k] += by;
      active[k] = 1;
    }
    planned.voice = voicePlan(m, line, active);
  }
  if (time) planned.voice.time = time;
  const leaning = levelLean && levelLeanDb(m.reading.levelDb, m.voiced, levelLean);
  if (leaning) planned.voice.levelDb = levelDb ? leaning.map((v, k) => v + levelDb[k]) : leaning;
  else if (levelDb) planned.voice.levelDb = levelDb;
  if (formant) planned.voice.formantCents = new Float32Array(line.length).fill(formant * 100);
  return planned;
}

/** What other vibratos add to the line, by as much of each as is kept. */
function turnedCents(m: Movements, wishes: readonly Wish[], turns: readonly VibratoTurn[]): Float32Array {
  const out = new Float32Array(m.sung.length);
  m.notes.forEach((o, i) => {
    if (!o.vibratoShape || !wishes[i].vibrato) return;
    turnedVibrato(o, turns[i]).forEach((v, k) => (out[o.start + k] += wishes[i].vibrato * v));
  });
  return out;
}

/** Less is not heard and would make the voice anew for nothing. */
const LEAST_ADDED: Cents = 0.2;
