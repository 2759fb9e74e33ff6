import { foldedTo, type Guide, type Midi } from '@essim/core';

/** Where a guide's note is drawn: in the octave that is sung, where it is folded. */
export const shownPitch = (guide: Guide, note: { midi: Midi }, near: Midi): Midi =>
  guide.fold ? foldedTo(note.midi, near) : note.midi;
