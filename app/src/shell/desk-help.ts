import type { DeskId } from '../desks/desks';

/** What hands do at each desk, beside its commands: a line a gesture. */
export const DESK_HELP: Record<DeskId, readonly string[]> = {
  gather: [
    'Drop files anywhere: new tracks, or takes where they are dropped on a take.',
    'Click a cell to hear that take in the comp; drag over a cell to take a stretch of it.',
    'Drag the head of a phrase at its ends to move its borders.',
    'R opens the recorder: count-in, rounds, what is in the headphones.',
  ],
  listen: [
    'Click a note to see how else it can be heard; point at a reading to hear it, click to choose it.',
    'Drag a border to move it; / splits a note at the playhead.',
    'Drag over unpitched sound to say what it is.',
    'Fixing the reading changes no sample of what nobody has edited.',
  ],
  tune: [
    'Drag a note up or down: it snaps to the key, with Alt to nothing, with Shift it moves finely; Esc gives up.',
    'Hold D and drag to draw the pitch; with Shift a straight line, with Alt what is drawn goes.',
    'Handles near the pointer: glide, tilt, scoop, where the centre is.',
    'Double-click a fader: as sung. Click a number to type it.',
    'Amber marks are hints: point at one to hear it in place, click to take it.',
  ],
  time: [
    'As sung above, as it is now below, threads between.',
    'Drag the upright between two notes: both give. With Alt it snaps to nothing.',
    'Ctrl and a drag inside a note sews a stitch: one part warps against the other.',
    'Drag a word’s ends to stretch it; consonants keep their length.',
  ],
  tone: [
    'Drag a hill’s three grips for start, middle and end; its shoulders for fades.',
    'Drag the top of a noise to turn it up or down; a bracket joins those of a stack.',
    'Even colour makes the grain of the colour lane run straight over the chosen notes.',
  ],
  align: [
    'Every syllable hangs as a leaf: early above, late below, hollow as sung, filled as it is now. Drag one to move it.',
    'T ties a word to another of its lead: step with the arrows, T again when it is the right one.',
    'Alt and a drag leaves a stretch as it was sung; drawn again it follows.',
    'Shift F fans what lies on top of each other.',
  ],
  parts: [
    'Steps, chords, keys, a guide, the voice itself or a recorded chord say what a new part sings.',
    'Drag a compass bracket at either end; arrow keys on its note names in the panel do the same.',
    'Dashed rails are other ways for the chosen note: point to hear, click to take.',
    'Unpicking: click takes a note out or in, Alt cuts, Shift joins, Ctrl adds; ends and bodies are dragged.',
  ],
  deliver: [
    'What is set in the mix is what stems and mix are made with.',
    'Bounce makes a new track of what a track sounds like; the original stays, muted, and opens again.',
    'A version keeps the song: hear it in the place of the song while it plays on.',
    'Every file begins at the song’s start and all are equally long, to the sample.',
  ],
};
