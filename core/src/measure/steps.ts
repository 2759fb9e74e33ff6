import { nearestStep, pitchClass, type Scale } from '../music';
import type { Cents } from '../units';

/** How one semitone class is sung over a track. */
export interface StepUse {
  /** Pitch class, 0 = C. */
  step: number;
  /** Seconds sung nearest to it. */
  seconds: number;
  /** Mean distance of the notes there, cents, by length; NaN when it is not sung. */
  offCents: Cents;
}

/** How often each pitch class is sung, and how far off on average. @param tuningCents of the song's reference against 440 Hz */
export function stepUse(
  notes: readonly { start: number; end: number; sung: number }[],
  tuningCents: Cents = 0,
): StepUse[] {
  const out = Array.from({ length: 12 }, (_, step) => ({ step, seconds: 0, off: 0 }));
  for (const n of notes) {
    const cents = n.sung * 100 - tuningCents;
    const near = Math.round(cents / 100);
    const s = out[pitchClass(near)];
    const length = n.end - n.start;
    s.seconds += length;
    s.off += length * (cents - near * 100);
  }
  return out.map(({ step, seconds, off }) => ({ step, seconds, offCents: seconds ? off / seconds : NaN }));
}

/** Mean distance of the notes whose nearest allowed step has each pitch class; NaN when none has. */
export function offByStep(
  notes: readonly { start: number; end: number; sung: number }[],
  scaleAt: (t: number) => Scale,
): Float64Array {
  const off = new Float64Array(12);
  const seconds = new Float64Array(12);
  for (const n of notes) {
    const step = nearestStep(scaleAt(n.start), n.sung * 100);
    const c = pitchClass(Math.round(step / 100));
    off[c] += (n.end - n.start) * (n.sung * 100 - step);
    seconds[c] += n.end - n.start;
  }
  return off.map((v, i) => (seconds[i] ? v / seconds[i] : NaN));
}
