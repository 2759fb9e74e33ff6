import type { Cents, Decibels, Hertz, Midi, Seconds, Span } from '../units';

/** Bumped whenever the same sound would be read differently; cached readings of other versions are made again. */
export const READING_VERSION = 14;
/** Distance of frames: frame k is centred at k * HOP seconds. */
export const HOP: Seconds = 0.005;
/** Candidates are kept at every second frame, this many at most. */
export const CANDIDATES_PER_FRAME = 7;

export type NoiseKind = 'sibilant' | 'plosive' | 'breath';
export type Range = 'auto' | 'low' | 'mid' | 'high';

/** A stretch sung at one pitch. */
export interface SungSpan extends Span {
  /** Its centre. */
  pitch: Midi;
}

/** A sung note. Its glide in belongs to it; so does a voiced consonant before the vowel. */
export interface ReadNote extends SungSpan {
  /** When it is heard to begin: its vowel's onset, by which timing is judged. */
  onset: Seconds;
}

/** A stretch of sound without pitch. */
export interface ReadNoise extends Span {
  kind: NoiseKind;
}

/** Every plausible pitch of every second frame (10 ms), best first. Flat: candidate j of frame k at k * CANDIDATES_PER_FRAME + j. */
export interface Candidates {
  count: Uint8Array;
  hz: Float32Array;
  /** Periodicity, 0..1. */
  periodicity: Float32Array;
  /** How well the harmonics support it, -1..1 of the frame's best. */
  harmonicity: Float32Array;
}

export interface KeyEstimate {
  /** Pitch class, 0 = C. */
  tonic: number;
  mode: 'major' | 'minor';
  /** 0..1: how far ahead of the next key. */
  confidence: number;
}

/** What Essim heard in a take. Correcting it never changes the sound. */
export interface Reading {
  version: number;
  sampleRate: Hertz;
  duration: Seconds;
  hop: Seconds;
  range: 'low' | 'mid' | 'high';
  /** Pitch of each frame, Hz; 0 where unpitched. */
  f0: Float32Array;
  /** Level of each frame over 10 ms, dB full scale. */
  levelDb: Float32Array;
  candidates: Candidates;
  notes: ReadNote[];
  noises: ReadNoise[];
  /** Stretches talked, rapped or shouted: they have no notes. */
  spoken: Span[];
  /** How much the colour of the voice changes at each frame, dB a band over 40 ms; where it tops, a consonant or another vowel begins. */
  colour: Float32Array;
  /** Loudness of each frame in the band that vowels have and voiced consonants lack, dB. */
  vowelsDb: Float32Array;
  /** The best first. */
  keys: KeyEstimate[];
  /** How far the singer's whole tuning lies from A = 440 Hz. */
  tuningCents: Cents;
}

/** Thrown when the caller's progress function asks a job to stop. */
export class Stopped extends Error {
  override name = 'Stopped';
}

export interface ReadOptions {
  range?: Range;
  /** Called now and then with the share done, 0..1. Return false to stop: readTake then throws Stopped. */
  onProgress?: (share: number) => boolean | void;
}

/** A take no voice can be read from. The message is for the user. */
export class UnreadableTake extends Error {
  override name = 'UnreadableTake';
}

export const LEVEL_FLOOR_DB: Decibels = -120;

/** Runs of voiced frames as [start, end), end excluded. */
export function runsOf(f0: ArrayLike<number>): [number, number][] {
  const runs: [number, number][] = [];
  for (let k = 0; k < f0.length; k++) {
    if (!(f0[k] > 0)) continue;
    const start = k;
    while (k < f0.length && f0[k] > 0) k++;
    runs.push([start, k]);
  }
  return runs;
}
