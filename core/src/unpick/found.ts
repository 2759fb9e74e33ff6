import type { Midi } from '../units';

/** A note that is found: its column of the evidence, frames, and how strong it is. */
export interface Found {
  column: number;
  from: number;
  to: number;
  strength: number;
  midi: Midi;
}

/** Frames that two have in common; under 0 the gap between them. */
export const together = (a: { from: number; to: number }, b: { from: number; to: number }): number =>
  Math.min(a.to, b.to) - Math.max(a.from, b.from);
