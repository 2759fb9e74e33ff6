import { halveRate, highPass } from '../signal/filter';
import { dbToGain, hzToMidi, type Seconds } from '../units';
import { findCandidates } from './candidates';
import { rankKeys, tuningOf } from './key';
import { findNoises } from './noises';
import { findSyllables, sonorityOf } from './consonants';
import { colourChange, findNotes } from './notes';
import { findSpoken } from './spoken';
import { dropTails } from './tails';
import { noteOnsets } from './onsets';
import { dropSpill, settleOctaves } from './octaves';
import { choosePath, levelGate } from './path';
import {
  HOP,
  LEVEL_FLOOR_DB,
  READING_VERSION,
  Stopped,
  UnreadableTake,
  type Range,
  type Reading,
  type ReadOptions,
} from './reading';
import type { Span } from '../units';
import { refinePath } from './refine';
import { bandPowers } from './spectra';

/** Search bounds in Hz for each range. */
const BOUNDS: Record<Range, [number, number]> = { auto: [60, 1400], low: [55, 480], mid: [80, 800], high: [120, 1400] };
const SILENT_DB = -90;
/** Loudness every take is read at, dB: what its loud tenth reaches. */
const READ_AT_DB = -22;
/** This far under the gate nothing is looked at. */
const SILENT_UNDER_GATE_DB = 15;

/** One channel out of several: their mean. One channel is returned as it is. */
export function mixDown(channels: Float32Array[]): Float32Array {
  if (channels.length === 1) return channels[0];
  const out = new Float32Array(channels[0].length);
  for (const c of channels) for (let i = 0; i < out.length; i++) out[i] += c[i] / channels.length;
  return out;
}

/**
 * Reads a take: pitch line with candidates, level, notes, unpitched sounds, key. docs/sound.md tells how.
 * @param samples one channel, 8 to 192 kHz
 * @throws UnreadableTake when there is no sound; Stopped when onProgress returned false
 * Cost: about 1/60 of real time, linear in length.
 */
export function readTake(
  samples: Float32Array,
  sampleRate: number,
  { range = 'auto', onProgress }: ReadOptions = {},
): Reading {
  const report = (share: number) => {
    if (onProgress?.(share) === false) throw new Stopped('reading stopped');
  };
  report(0);
  const duration = samples.length / sampleRate;
  if (!samples.length) throw new UnreadableTake('it has no sound in it');
  if (20 * Math.log10(peakOf(samples) + 1e-12) < SILENT_DB) throw new UnreadableTake('it is silent');

  let fine = samples;
  let fineRate = sampleRate;
  while (fineRate > 30000) {
    fine = halveRate(fine);
    fineRate /= 2;
  }
  fine = highPass(fine, fineRate, 45);
  const coarse = fineRate > 16000 ? halveRate(fine) : fine;
  const coarseRate = fineRate > 16000 ? fineRate / 2 : fineRate;
  report(0.05);

  const frames = Math.floor(duration / HOP) + 1;
  const levelDb = frameLevels(coarse, coarseRate, frames);
  const every = 400;
  const [lowest, highest] = BOUNDS[range];
  const half = (frames + 1) >> 1;
  const { gate, loud } = levelGate(levelDb);
  // read at one loudness: a quiet take's notes are those of a loud one
  const gain = dbToGain(READ_AT_DB - loud);
  scale(coarse, gain);
  if (fine !== coarse) scale(fine, gain);
  const candidates = findCandidates(
    coarse,
    coarseRate,
    half,
    lowest,
    highest,
    k => levelDb[2 * k] < gate - SILENT_UNDER_GATE_DB,
    k => {
      if (k % every === 0) report(0.05 + (0.5 * k) / half);
    },
  );
  const path = choosePath(candidates, levelDb, gate);
  report(0.6);
  const bands = bandPowers(samples, sampleRate, frames, gain, k => {
    if (k % (2 * every) === 0) report(0.6 + (0.15 * k) / frames);
  });
  const colour = colourChange(bands, frames);
  const f0 = refinePath(coarse, coarseRate, candidates, path, levelDb, gate, colour);
  dropTails(f0, bands);
  dropSpill(f0, levelDb, loud);
  settleOctaves(f0, candidates, levelDb, loud);
  report(0.9);
  // told of the voice alone
  for (let k = 0; k < frames; k++) if (!(f0[k] > 0)) colour[k] = 0;
  const spans = findNotes(f0, levelDb, colour, sonorityOf(bands, frames), findSyllables(f0, colour, bands));
  const spoken = findSpoken(f0);
  dropStrays(f0, [...spans, ...spoken]);
  const onsets = noteOnsets(fine, fineRate, spans, f0);
  const notes = spans
    .map((n, i) => ({ ...n, onset: onsets[i] }))
    .filter(n => !spoken.some(s => n.start >= s.start - HOP && n.end <= s.end + HOP));
  const noises = findNoises(f0, bands, READ_AT_DB);
  const tuningCents = tuningOf(notes);
  report(1);
  return {
    version: READING_VERSION,
    sampleRate,
    duration,
    hop: HOP,
    range: range === 'auto' ? rangeOf(f0) : range,
    f0,
    levelDb,
    candidates,
    notes,
    noises,
    spoken,
    colour,
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

function scale(x: Float32Array, gain: number): void {
  for (let i = 0; i < x.length; i++) x[i] *= gain;
}

function peakOf(x: Float32Array): number {
  let high = 0;
  let low = 0;
  for (let i = 0; i < x.length; i++) {
    const v = x[i];
    if (v > high) high = v;
    else if (v < low) low = v;
  }
  return high > -low ? high : -low;
}

/** Level over 10 ms around each frame, dB. */
function frameLevels(x: Float32Array, sampleRate: number, frames: number): Float32Array {
  const half = Math.round(HOP * sampleRate);
  const sums = new Float64Array(x.length + 1);
  for (let i = 0; i < x.length; i++) sums[i + 1] = sums[i] + x[i] * x[i];
  return Float32Array.from({ length: frames }, (_, k) => {
    const middle = Math.round(k * HOP * sampleRate);
    const a = Math.max(0, middle - half);
    const b = Math.min(x.length, middle + half);
    return Math.max(LEVEL_FLOOR_DB, 10 * Math.log10((b > a ? (sums[b] - sums[a]) / (b - a) : 0) + 1e-12));
  });
}

/** Low, middle or high by the middle of what was sung. */
function rangeOf(f0: Float32Array): 'low' | 'mid' | 'high' {
  const sung = f0.filter(f => f > 0).sort();
  if (!sung.length) return 'mid';
  const middle = hzToMidi(sung[sung.length >> 1]);
  return middle < 53 ? 'low' : middle < 65 ? 'mid' : 'high';
}
