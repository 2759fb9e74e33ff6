import { floatsOf, lengthOf, type Samples } from '../signal/samples';
import { dbToGain, hzToMidi, type Seconds, type Span } from '../units';
import { findSyllables, sonorityOf } from './consonants';
import { rankKeys, tuningOf } from './key';
import { findNoises } from './noises';
import { findNotes } from './notes';
import { dropSpill, settleOctaves } from './octaves';
import { choosePath, levelGate } from './path';
import { clearAt, READ_AT_DB, ReadingPortion, type Look } from './portion';
import { HOP, READING_VERSION, Stopped, UnreadableTake, type Range, type Reading, type ReadOptions } from './reading';
import { findSpoken } from './spoken';
import { dropTails } from './tails';

/** -90 dB. */
const SILENT = dbToGain(-90);

/**
 * Reads a take: pitch line with candidates, level, notes, unpitched sounds, key. docs/sound.md tells how.
 * @param samples one channel, 8 to 192 kHz
 * @throws UnreadableTake when there is no sound; Stopped when onProgress returned false
 * Cost: about 1/190 of real time, linear in length.
 */
export function readTake(
  samples: Float32Array,
  sampleRate: number,
  { range = 'auto', onProgress }: ReadOptions = {},
): Reading {
  const report = reporter(onProgress);
  report(0);
  checkSound([samples]);
  const portion = new ReadingPortion([samples], sampleRate, range);
  const levelDb = portion.levels();
  report(0.05);
  const level = levelGate(levelDb);
  const { gate, loud } = level;
  const look = portion.look(gate, loud, share => report(0.05 + 0.6 * share));
  const path = choosePath(look.candidates, levelDb, level);
  report(0.7);
  const f0 = portion.refine(path);
  const take: Whole = { samples: samples.length, sampleRate, range, levelDb, loud, look, f0 };
  report(0.9);
  const voice = voiceOf(take);
  const onsets = portion.onsets(voice.spans, f0);
  report(1);
  return conclude(take, voice, onsets);
}

/** A portion of a take, wherever it is read. */
export type PortionReader = {
  [K in keyof Pick<ReadingPortion, 'levels' | 'look' | 'refine' | 'onsets'>]: (
    ...args: Parameters<ReadingPortion[K]>
  ) => ReturnType<ReadingPortion[K]> | Promise<ReturnType<ReadingPortion[K]>>;
};

/**
 * Reads a take whose portions are read side by side, in other threads say: the same reading to the bit. Null when a voice goes on where
 * it was divided; then it is read in one piece.
 * @param cuts where it is divided, see divisions @param portions one more than there are cuts, in order
 * @throws as readTake does, and what the portions throw
 */
export async function readInPortions(
  channels: readonly Samples[],
  sampleRate: number,
  cuts: readonly Seconds[],
  portions: readonly PortionReader[],
  { range = 'auto', onProgress }: ReadOptions = {},
): Promise<Reading | null> {
  const report = reporter(onProgress);
  report(0);
  checkSound(channels);
  const each = <T>(ask: (p: PortionReader, i: number) => T | Promise<T>): Promise<T[]> =>
    Promise.all(portions.map(async (p, i) => ask(p, i)));
  const first = [0, ...cuts].map(s => Math.round(s / HOP));
  const levelDb = joined(await each(p => p.levels()));
  report(0.05);
  const level = levelGate(levelDb);
  const { gate, loud } = level;
  const looks = await each(p => p.look(gate, loud));
  report(0.6);
  const candidates = (name: 'hz' | 'periodicity' | 'harmonicity') => joined(looks.map(l => l.candidates[name]));
  const count = new Uint8Array((levelDb.length + 1) >> 1);
  looks.forEach((l, i) => count.set(l.candidates.count, first[i] / 2));
  const look: Look = {
    candidates: {
      count,
      hz: candidates('hz'),
      periodicity: candidates('periodicity'),
      harmonicity: candidates('harmonicity'),
    },
    bands: { ...looks[0].bands, power: joined(looks.map(l => l.bands.power)) },
    colour: joined(looks.map(l => l.colour)),
  };
  const path = choosePath(look.candidates, levelDb, level);
  if (!clearAt(path, cuts)) return null;
  report(0.65);
  const ends = [...first.slice(1), levelDb.length];
  const f0 = joined(await each((p, i) => p.refine(path.slice(first[i] / 2, (ends[i] + 1) >> 1))));
  const take: Whole = { samples: lengthOf(channels[0]), sampleRate, range, levelDb, loud, look, f0 };
  report(0.9);
  const voice = voiceOf(take);
  const portionOf = (n: Span) => first.findLastIndex(k => n.start >= (k - 0.5) * HOP);
  const onsets = await each(async (p, i) => {
    const later = first[i] * HOP;
    const own = voice.spans.filter(n => portionOf(n) === i);
    const shifted = own.map(n => ({ ...n, start: n.start - later, end: n.end - later }));
    return (await p.onsets(shifted, f0.slice(first[i], ends[i]))).map(t => t + later);
  });
  report(1);
  return conclude(take, voice, onsets.flat());
}

const reporter = (onProgress: ReadOptions['onProgress']) => (share: number) => {
  if (onProgress?.(share) === false) throw new Stopped('reading stopped');
};

function checkSound(channels: readonly Samples[]): void {
  if (!lengthOf(channels[0])) throw new UnreadableTake('it has no sound in it');
  if (channels.every(isSilent)) throw new UnreadableTake('it is silent');
}

/** Samples that are looked at together. */
const PIECE = 2 ** 16;
function isSilent(x: Samples): boolean {
  const length = lengthOf(x);
  for (let at = 0; at < length; at += PIECE)
    if (!floatsOf(x, at, Math.min(length, at + PIECE)).every(v => Math.abs(v) < SILENT)) return false;
  return true;
}

function joined(parts: readonly Float32Array[]): Float32Array {
  const out = new Float32Array(parts.reduce((n, p) => n + p.length, 0));
  let at = 0;
  for (const p of parts) {
    out.set(p, at);
    at += p.length;
  }
  return out;
}

/** What was found of a whole take's sound. */
interface Whole {
  samples: number;
  sampleRate: number;
  range: Range;
  levelDb: Float32Array;
  loud: number;
  look: Look;
  f0: Float32Array;
}

/** What of it is the voice: writes f0 and colour, finds notes and talk. */
function voiceOf({ f0, levelDb, loud, look: { bands, candidates, colour } }: Whole) {
  dropTails(f0, bands, levelDb);
  dropSpill(f0, levelDb, loud);
  settleOctaves(f0, candidates, levelDb, loud);
  // told of the voice alone
  for (let k = 0; k < f0.length; k++) if (!(f0[k] > 0)) colour[k] = 0;
  const vowelsDb = sonorityOf(bands, f0.length);
  const spans = findNotes(f0, levelDb, colour, vowelsDb, findSyllables(f0, colour, bands));
  const spoken = findSpoken(f0);
  dropStrays(f0, [...spans, ...spoken]);
  return { spans, spoken, vowelsDb };
}

/** What was found of its voice. */
type Voice = ReturnType<typeof voiceOf>;

function conclude(take: Whole, { spans, spoken, vowelsDb }: Voice, onsets: readonly Seconds[]): Reading {
  const { samples, sampleRate, range, levelDb, f0, look } = take;
  const notes = spans
    .map((n, i) => ({ ...n, onset: onsets[i] }))
    .filter(n => !spoken.some(s => n.start >= s.start - HOP && n.end <= s.end + HOP));
  const tuningCents = tuningOf(notes);
  return {
    version: READING_VERSION,
    sampleRate,
    duration: samples / sampleRate,
    hop: HOP,
    range: range === 'auto' ? rangeOf(f0) : range,
    f0,
    levelDb,
    candidates: look.candidates,
    notes,
    noises: findNoises(f0, look.bands, READ_AT_DB),
    spoken,
    colour: look.colour,
    vowelsDb,
    keys: rankKeys(notes, tuningCents),
    tuningCents,
  };
}

/** Longest stretch of voice without a note that is none, in a breath say. */
const STRAY: Seconds = 0.08;

/** What is voiced so briefly that it is no note and belongs to none was no voice: a breath is never pitched. */
function dropStrays(f0: Float32Array, kept: readonly Span[]): void {
  for (let k = 0; k < f0.length; k++) {
    if (!(f0[k] > 0)) continue;
    const first = k;
    while (k < f0.length && f0[k] > 0) k++;
    const [start, end] = [first * HOP, k * HOP];
    if (end - start < STRAY && !kept.some(n => n.start < end + HOP && n.end > start - HOP)) f0.fill(0, first, k);
  }
}

/** Low, middle or high by the middle of what was sung. */
function rangeOf(f0: Float32Array): 'low' | 'mid' | 'high' {
  const sung = f0.filter(f => f > 0).sort();
  if (!sung.length) return 'mid';
  const middle = hzToMidi(sung[sung.length >> 1]);
  return middle < 53 ? 'low' : middle < 65 ? 'mid' : 'high';
}
