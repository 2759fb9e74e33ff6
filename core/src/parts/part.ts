import { nearestStep, stepFrom, type Scale } from '../music';
import type { NoteEdit } from '../song/document';
import { movedStrokes } from '../song/strokes';
import type { NoteFacts, VibratoTurn } from '../plan';
import { seededRandom } from '../signal/random';
import { TimeMap, type Meeting } from '../song/timemap';
import { clamp, type Decibels, type Midi, type Seconds } from '../units';

/** How a part is made from its lead. */
export interface PartLine {
  /** Steps of the key, or semitones. */
  by: 'steps' | 'semitones';
  /** How many; below 0 is down. An octave is 12 semitones. */
  amount: number;
}

/** Small natural differences, seeded. 100 is what two good singers differ by. */
export interface Scatter {
  time: number;
  pitch: number;
  seed: number;
}

/** Whether every harmonic of one of the two voices is a harmonic of the other. */
const isOctave = ({ by, amount }: PartLine): boolean => amount % (by === 'steps' ? 7 : 12) === 0;

/**
 * How a new part differs from its lead unless something else is asked for. An octave shares its harmonics with the lead, so it gets all
 * that two good singers differ by, and a throat of its own, longer below the lead: the median likeness of the two is then under .6.
 * @returns scatter in time and pitch, and formant in semitones
 */
export function usualDifferences(line: PartLine): { scatter: number; formant: number } {
  if (!isOctave(line)) return { scatter: 60, formant: 0 };
  return { scatter: 100, formant: line.amount < 0 ? -2 : 1 };
}

const TIME_MS = 12;
const MOST_TIME_MS = 30;
const PITCH_CENTS = 7;
const LEVEL_DB = 1;
const RATE_SHARE = 0.06;
/** How far apart slow pitch movement is drawn anew. */
const WANDER_STEP: Seconds = 0.35;
const WANDER_SHARE = 0.6;

/**
 * Where a part's note is meant to be. Steps in the key go by the degree of the lead's rail: its target, or the allowed step it is
 * nearest to; a note outside the key keeps its alteration. Semitones keep to the lead as it is.
 * @returns MIDI
 */
export function partTarget(note: { sung: number; target?: number }, { by, amount }: PartLine, scale: Scale): number {
  if (by === 'semitones') return (note.target ?? note.sung) + amount;
  const rail = note.target === undefined ? nearestStep(scale, note.sung * 100) : note.target * 100;
  const step = nearestStep(scale, rail);
  const alteration = Math.abs(rail - step) > 50 ? Math.round((rail - step) / 100) * 100 : 0;
  return (stepFrom(scale, step, amount) + alteration) / 100;
}

/** What a part sings with a note of its lead: a pitch, or nothing; over it what it sings one after another, strokes in take time. */
export interface PartPitch {
  midi: Midi | null;
  drawn?: number[][];
}

/** How a part sings what it sings, 100: as its lead does. */
export interface PartManner {
  wander: number;
  vibrato: number;
  /** Brighter or darker, and louder or softer for each note, dB. */
  brightness: Decibels;
  evenDb(note: NoteFacts): Decibels;
}
export const AS_LEAD: PartManner = { wander: 100, vibrato: 100, brightness: 0, evenDb: () => 0 };

/**
 * A part's edits: every note of the lead at the part's pitch. What the user set on a note of the part counts instead.
 * @param lead edits of the lead's notes @param own edits of the part's notes
 */
export function partEdits(
  notes: readonly NoteFacts[],
  lead: Readonly<Record<string, NoteEdit>>,
  own: Readonly<Record<string, NoteEdit>>,
  pitchOf: (note: NoteFacts, edit: NoteEdit) => PartPitch,
  manner: PartManner = AS_LEAD,
): Record<string, NoteEdit> {
  const out: Record<string, NoteEdit> = {};
  for (const n of notes) {
    if (n.key in own) {
      out[n.key] = own[n.key];
      continue;
    }
    const { pinned: _, drawn, ...edit } = lead[n.key] ?? { start: n.start, end: n.end };
    const { midi, drawn: sung } = pitchOf(n, edit);
    const share = (of: 'wander' | 'vibrato') =>
      manner[of] === 100 ? {} : { [of]: Math.min(200, ((edit[of] ?? 100) * manner[of]) / 100) };
    const evenDb = manner.evenDb(n);
    out[n.key] = {
      ...edit,
      ...(midi === null ? { silent: 'muted' as const } : { target: midi }),
      aim: 100,
      ...share('wander'),
      ...share('vibrato'),
      ...(manner.brightness ? { brightness: clamp((edit.brightness ?? 0) + manner.brightness, -12, 12) } : {}),
      ...(evenDb ? { evenDb: clamp((edit.evenDb ?? 0) + evenDb, -24, 24) } : {}),
      // what was drawn over the lead is sung along, as far from it as the part is
      ...(sung
        ? { drawn: sung }
        : drawn && midi !== null
          ? { drawn: movedStrokes(drawn, midi - (edit.target ?? n.sung)) }
          : {}),
    };
  }
  return { ...own, ...out };
}

/** Scatter of a take, by its syllables. */
export interface Scattered {
  time: TimeMap;
  /** Cents and dB a frame. */
  cents: Float32Array;
  levelDb: Float32Array;
  /** One a note. */
  turns: VibratoTurn[];
}

/**
 * Draws a part's differences: each syllable's time (normal, 12 ms, at most 30), each note's pitch (normal, 7 cents) with a slow wander,
 * each note's level (up to 1 dB), each vibrato's rate (up to 6 %) and where in its swing it begins. Same seed, same differences. Half of each phrase's lateness is its own.
 * @param hop distance of frames, s @param frames of the take
 */
export function scattered(
  notes: readonly { start: Seconds; end: Seconds; onset: Seconds }[],
  { time, pitch, seed }: Scatter,
  hop: Seconds,
  frames: number,
): Scattered {
  const random = seededRandom(seed);
  const swings = seededRandom(seed + 7919);
  const points: Meeting[] = [];
  const cents = new Float32Array(frames);
  const levelDb = new Float32Array(frames);
  let phrase = 0;
  let before = -Infinity;
  for (const n of notes) {
    if (n.start - before > 0.25) phrase = random.normal() * 0.5;
    before = n.end;
    const late = ((phrase + random.normal() * 0.87) * TIME_MS * time) / 100;
    const by = Math.max(-MOST_TIME_MS, Math.min(MOST_TIME_MS, late)) / 1000;
    const last = points[points.length - 1];
    // a syllable may be early or late, never before the one before it
    const to = Math.max(n.onset + by, last ? last.to + 0.6 * (n.onset - last.from) : 0.001);
    if (n.onset > (last?.from ?? 0) + 0.03 && time) points.push({ from: n.onset, to });
    const own = (random.normal() * PITCH_CENTS * pitch) / 100;
    const level = (Math.max(-1, Math.min(1, random.normal() * 0.5)) * LEVEL_DB * Math.max(time, pitch)) / 100;
    const turns = Math.ceil((n.end - n.start) / WANDER_STEP) + 2;
    const wander = Array.from({ length: turns }, () => (random.normal() * PITCH_CENTS * WANDER_SHARE * pitch) / 100);
    const [a, z] = [Math.max(0, Math.round(n.start / hop)), Math.min(frames, Math.round(n.end / hop))];
    for (let k = a; k < z; k++) {
      const at = (k * hop - n.start) / WANDER_STEP;
      const i = Math.max(0, Math.min(turns - 2, Math.floor(at)));
      const u = 0.5 - 0.5 * Math.cos(Math.PI * Math.max(0, Math.min(1, at - i)));
      cents[k] = own + wander[i] + (wander[i + 1] - wander[i]) * u;
      levelDb[k] = level;
    }
  }
  const turns = notes.map(() => ({
    faster: 1 + (RATE_SHARE * Math.max(-1, Math.min(1, swings.normal() * 0.6)) * pitch) / 100,
    phase: ((2 * swings.uniform() - 1) * Math.PI * Math.min(100, pitch)) / 100,
  }));
  return { time: points.length ? TimeMap.through(points) : TimeMap.identity, cents, levelDb, turns };
}
