import { chordTones, pitchClass, rowsBetween, type Scale } from '../music';
import type { HeardSeconds, Midi, Seconds } from '../units';

/**
 * Which step each note was probably meant for: of the two nearest to where it was sung, by how far they are off, the singer's own drift,
 * the key, the chord, and the steps of the melody about it. Forward and backward over the whole of it (Rabiner 1989).
 */

export interface SungNote {
  start: HeardSeconds;
  end: HeardSeconds;
  sung: Midi;
}

/** How likely a note is meant for each of two steps. */
export interface StepsMeant {
  steps: [nearest: Midi, other: Midi];
  /** Of the other one, 0..1. */
  other: number;
}

export interface Surrounding {
  scaleAt(seconds: HeardSeconds): Scale;
  /** Name of the chord sounding; empty where none is known. */
  chordAt(seconds: HeardSeconds): string;
  /** Whether a moment is a strong beat. */
  strongAt(seconds: HeardSeconds): boolean;
}

/** Singers are off by little as a rule, and by more now and then: widths in cents, and how often the wide one. */
const OFF = { usual: 19, wide: 60, often: 0.26 };
const IN_KEY = 0.93;
const OUT_OF_KEY = 0.06;
const CHORD_TONE = { strong: 3, weak: 1.7 };
/** How often a melody goes on by so many semitones, up or down. */
const LEAPS = [0.21, 0.1, 0.13, 0.06, 0.045, 0.035, 0.004, 0.025, 0.008, 0.01, 0.004, 0.002, 0.008];
const FAR_LEAP = 0.001;
/** Melodies differ: how much of that is believed of one nobody knows. */
const LEAP_SAYS = 0.4;
/** After a rest the melody says less. */
const REST: Seconds = 0.6;
/** Notes to either side that tell the singer's drift, and how much they say against none. */
const DRIFT_NOTES = 8;
const DRIFT_PRIOR = 3.5;

const normal = (x: number, width: number) => Math.exp((-x * x) / (2 * width * width)) / width;
const likelyOff = (cents: number) => (1 - OFF.often) * normal(cents, OFF.usual) + OFF.often * normal(cents, OFF.wide);

const leap = (semitones: number, rest: Seconds): number => {
  const a = Math.abs(semitones);
  const low = Math.floor(a);
  const p = low + 1 < LEAPS.length ? LEAPS[low] + (a - low) * (LEAPS[low + 1] - LEAPS[low]) : FAR_LEAP;
  return p ** (LEAP_SAYS * (rest > REST ? 0.5 : 1));
};

/** How far off a singer is about each note, cents: the mean direction of what his neighbours are off, steps being a circle. */
function driftOf(notes: readonly SungNote[], off: readonly number[], width: readonly number[]): number[] {
  return notes.map((_, i) => {
    let [x, y] = [DRIFT_PRIOR, 0];
    for (let j = Math.max(0, i - DRIFT_NOTES); j <= Math.min(notes.length - 1, i + DRIFT_NOTES); j++) {
      if (j === i) continue;
      const turn = (2 * Math.PI * off[j]) / width[j];
      const weight = Math.min(1, (notes[j].end - notes[j].start) / 0.25);
      x += weight * Math.cos(turn);
      y += weight * Math.sin(turn);
    }
    return (Math.atan2(y, x) / (2 * Math.PI)) * width[i];
  });
}

/** @param notes in time order @returns one for each */
export function stepsMeant(notes: readonly SungNote[], around: Surrounding): StepsMeant[] {
  const candidates = notes.map((n): [Midi, Midi] => {
    const rows = rowsBetween(around.scaleAt(n.start), n.sung - 3, n.sung + 3).map(r => r.at);
    const sorted = rows.sort((a, b) => Math.abs(a - n.sung) - Math.abs(b - n.sung));
    return [sorted[0] ?? Math.round(n.sung), sorted[1] ?? Math.round(n.sung) + 1];
  });
  const off = notes.map((n, i) => 100 * (n.sung - candidates[i][0]));
  const drift = driftOf(
    notes,
    off,
    candidates.map(([a, b]) => 100 * Math.abs(a - b)),
  );
  const evidence = notes.map((n, i) =>
    candidates[i].map(step => {
      const scale = around.scaleAt(n.start);
      const degree = rowsBetween(scale, step - 0.01, step + 0.01)[0]?.degree ?? 0;
      const tones = chordTones(around.chordAt(n.start));
      const inChord = tones.includes(pitchClass(Math.round(step)));
      return (
        likelyOff(100 * (n.sung - step) - drift[i]) *
        (degree ? IN_KEY : OUT_OF_KEY) *
        (inChord ? (around.strongAt(n.start) ? CHORD_TONE.strong : CHORD_TONE.weak) : 1)
      );
    }),
  );
  const normed = ([a, b]: number[]) => {
    const sum = a + b || 1;
    return [a / sum, b / sum];
  };
  const between = (i: number, a: number, b: number) =>
    leap(candidates[i + 1][b] - candidates[i][a], notes[i + 1].start - notes[i].end);
  const forward: number[][] = [];
  notes.forEach((_, i) => {
    const before = forward[i - 1] as number[] | undefined;
    const come = (b: number) => (before ? before[0] * between(i - 1, 0, b) + before[1] * between(i - 1, 1, b) : 1);
    forward.push(normed([0, 1].map(b => come(b) * evidence[i][b])));
  });
  let backward = [1, 1];
  const out = new Array<StepsMeant>(notes.length);
  for (let i = notes.length - 1; i >= 0; i--) {
    if (i + 1 < notes.length)
      backward = normed(
        [0, 1].map(a => [0, 1].reduce((sum, b) => sum + between(i, a, b) * evidence[i + 1][b] * backward[b], 0)),
      );
    const [, other] = normed([forward[i][0] * backward[0], forward[i][1] * backward[1]]);
    out[i] = { steps: candidates[i], other };
  }
  return out;
}
