import { quantile } from '../signal/statistics';
import type { Decibels, Hertz } from '../units';
import { activationsOf, HOP, levelLine, lowered, QUICK_HOP, type Activations } from './evidence';
import type { Found } from './found';
import { bySemitone, notesIn } from './notes';
import { StillSound } from './still';

/** A keyboard under the voices: told by how much of the sound stands still, and left out. */

/** What sounds in a recording. */
export interface Evidence extends Activations {
  /** Where a keyboard is under the voices: what sounds with it; all else is told without. */
  withKeyboard?: Activations;
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
  const still = new StillSound(y, rate);
  if (!still.find(TOLD_UNDER, between(0, 0.1))) return null;
  const moments = momentsOf(still, Math.floor(y.length / rate / HOP) + 1);
  const played = hasKeyboard(moments);
  const heard = activationsOf(y, rate, between(0.1, played ? 0.5 : 1));
  if (!heard || !played) return heard;
  if (!still.find(Infinity, between(0.5, 0.7))) return null;
  const voiced = voicedIn(momentsOf(still, moments.length));
  const cleared = activationsOf(still.without(), rate, between(0.7, 1), k => voiced[k] === 1);
  if (!cleared) return null;
  return isOverVoices(cleared, heard, voiced) ? { ...cleared, withKeyboard: heard } : heard;
}
/** Whether there is a keyboard is told by what lies under this. */
const TOLD_UNDER: Hertz = 1500;

/** The power about a frame, and the share of it that does not stand still. */
type Moment = ReturnType<StillSound['about']>;
const momentsOf = (still: StillSound, frames: number): Moment[] =>
  Array.from({ length: frames }, (_, k) => still.about(k * HOP));

/** Frames in which somebody may be singing: what little is left where nearly everything stands still is no voice. */
function voicedIn(moments: readonly Moment[]): Uint8Array {
  const loud = quantile(
    moments.map(m => m.left * m.power),
    0.9,
  );
  return Uint8Array.from(moments, m => (m.left > STANDS || m.left * m.power > QUIET * loud ? 1 : 0));
}
/** Less than this is left of the power where nobody sings, and that is so much quieter than what is left of the loud (power). */
const STANDS = 0.3;
const QUIET = 0.06;

/** Whether a keyboard is there: alone for a part of the time in which anything sounds. */
function hasKeyboard(moments: readonly Moment[]): boolean {
  if (!moments.length) return false;
  const loud = quantile(
    moments.map(m => m.power),
    0.9,
  );
  const sounding = moments.filter(m => m.power > SOUNDS * loud);
  return sounding.filter(m => m.left < ALONE).length > LEAST_PLAYED * sounding.length;
}
/** What is quieter than this beside the loud, power, is not looked at. */
const SOUNDS = 1e-4;
/** A keyboard alone leaves less than this, and does so for a part of the time in which anything sounds. */
const ALONE = 0.15;
const LEAST_PLAYED = 0.06;

/** Whether voices are left: of the notes where somebody may sing most, or it was voices that stood so still. */
function isOverVoices(cleared: Activations, heard: Activations, voiced: Uint8Array): boolean {
  const time = (notes: readonly Found[]) =>
    notes.reduce((sum, n) => voiced.subarray(Math.round(n.from), Math.round(n.to)).reduce((s, v) => s + v, sum), 0);
  const all = notesIn(heard, bySemitone(heard));
  const sung = withoutKeyboard({ ...cleared, withKeyboard: heard }, notesIn(cleared, bySemitone(cleared)));
  return time(sung) > LEAST_SUNG * time(all);
}
const LEAST_SUNG = 0.5;

/** Without what is played and not sung: remains of what stood still. */
export function withoutKeyboard({ quick, withKeyboard }: Evidence, notes: readonly Found[]): Found[] {
  if (!withKeyboard) return [...notes];
  return notes.filter(n => levelIn(quick, n) - levelIn(withKeyboard.quick, n) > REMAINS);
}
/** What is left of a played note lies further under it than this, what is left of a sung one hardly. */
const REMAINS: Decibels = -3;

function levelIn(quick: Activations['quick'], { midi, from, to }: Found): Decibels {
  const [a, b] = [from, to].map(k => Math.round((k * HOP) / QUICK_HOP));
  const line = levelLine(quick, midi, a, b);
  return line.reduce((sum, v) => sum + v, 0) / Math.max(1, line.length);
}
