import { quantile } from '../signal/statistics';
import type { Decibels, Hertz } from '../units';
import {
  activationsOf,
  HOP,
  levelLine,
  lowered,
  QUICK_HOP,
  quickSpectrum,
  type Activations,
  type QuickSpectrum,
} from './evidence';
import type { Found } from './found';
import { bySemitone, notesIn } from './notes';
import { stillIn, type Left } from './still';

/** A keyboard under the voices: told by how much of the sound stands still, and left out. */

/** What sounds in a recording. */
export interface Evidence extends Activations {
  /** Where a keyboard is under the voices: levels and notes with it; all else is told without. */
  withKeyboard?: Whole;
}

/** A recording as it is, and the notes in it, whoever they are by. */
interface Whole {
  quick: QuickSpectrum;
  notes: Found[];
}

/**
 * @param x one channel @param progress is told what share is done, and stops it by answering false
 * @returns null when it was stopped
 */
export function evidenceOf(
  x: Float32Array,
  sampleRate: Hertz,
  progress: (share: number) => boolean = () => true,
): Evidence | null {
  const between = (from: number, to: number) => (share: number) => progress(from + (to - from) * share);
  const [y, rate] = lowered(x, sampleRate);
  const heard = activationsOf(y, rate, between(0, 0.4));
  const still = heard && stillIn(y, rate, between(0.4, 0.6));
  if (!still) return null;
  const without = still.without();
  const whole: Whole = { quick: heard.quick, notes: notesIn(heard, bySemitone(heard)) };
  if (!hasKeyboard(whole, quickSpectrum(without, rate))) return heard;
  const voiced = voicedIn(Array.from({ length: heard.frames }, (_, k) => still.about(k * HOP)));
  const cleared = activationsOf(without, rate, between(0.6, 1), k => voiced[k] === 1);
  if (!cleared) return null;
  const evidence: Evidence = { ...cleared, withKeyboard: whole };
  const sung = withoutKeyboard(evidence, notesIn(cleared, bySemitone(cleared)));
  return isOverVoices(sung, whole.notes, voiced) ? evidence : heard;
}

/** Whether what is heard is played for a part of the time. @param cleared without what stands still */
function hasKeyboard({ quick, notes }: Whole, cleared: QuickSpectrum): boolean {
  const time = (some: readonly Found[]) => some.reduce((sum, n) => sum + n.to - n.from, 0);
  return time(notes.filter(n => !isLeft(cleared, quick, n))) > LEAST_PLAYED * time(notes);
}
/** Of what is only sung hardly a hundredth seems to be. */
const LEAST_PLAYED = 0.08;

/** Frames in which somebody may be singing: what little is left where nearly everything stands still is no voice. */
function voicedIn(moments: readonly Left[]): Uint8Array {
  const loud = quantile(
    moments.map(m => m.left * m.power),
    0.9,
  );
  return Uint8Array.from(moments, m => (m.left > STANDS || m.left * m.power > QUIET * loud ? 1 : 0));
}
/** Less than this is left of the power where nobody sings, and that is so much quieter than what is left of the loud (power). */
const STANDS = 0.3;
const QUIET = 0.06;

/** Whether voices are left: of the notes where somebody may sing most, or it was voices that stood so still. */
function isOverVoices(sung: readonly Found[], all: readonly Found[], voiced: Uint8Array): boolean {
  const time = (notes: readonly Found[]) =>
    notes.reduce((sum, n) => voiced.subarray(Math.round(n.from), Math.round(n.to)).reduce((s, v) => s + v, sum), 0);
  return time(sung) > LEAST_SUNG * time(all);
}
const LEAST_SUNG = 0.38;

/** Without what is played and not sung: remains of what stood still. */
export const withoutKeyboard = ({ quick, withKeyboard }: Evidence, notes: readonly Found[]): Found[] =>
  withKeyboard ? notes.filter(n => isLeft(quick, withKeyboard.quick, n)) : [...notes];

/** Whether a note is there without what stands still: what is left of a played one lies further under it than this. */
const isLeft = (cleared: QuickSpectrum, whole: QuickSpectrum, note: Found): boolean =>
  levelIn(cleared, note) - levelIn(whole, note) > REMAINS;
const REMAINS: Decibels = -3;

function levelIn(quick: QuickSpectrum, { midi, from, to }: Found): Decibels {
  const [a, b] = [from, to].map(k => Math.round((k * HOP) / QUICK_HOP));
  const line = levelLine(quick, midi, a, b);
  return line.reduce((sum, v) => sum + v, 0) / Math.max(1, line.length);
}
