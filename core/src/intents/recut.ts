import { HOP, noCorrections, setNotes } from '../read';
import { changeTake, correctionsWith, type Change, type NoteEdit, type Take, type Track } from '../song';
import type { Seconds, Span } from '../units';
import { ownReading } from './intent';

/** How other notes get into a take: what a stretch of it is cut into, and what is decided about the pieces. */

/** Shorter than this nothing is a note. */
export const SHORTEST_FRAMES = 6;

/** A piece of a take's line that is to be a note, frames; with what is decided about it, or null. */
export interface Piece {
  start: number;
  end: number;
  edit: Omit<NoteEdit, 'start' | 'end'> | null;
}

export const inFrames = ({ start, end }: Span) => ({ start: Math.round(start / HOP), end: Math.round(end / HOP) });
const seconds = (frame: number): Seconds => Math.round(frame * HOP * 1e6) / 1e6;

/**
 * Cuts stretches of a take anew.
 * @param stretches each with the pieces it is cut into, in order
 * @param gone ids of edits whose notes are no more
 */
export const recut = (
  track: Track,
  take: Pick<Take, 'id'>,
  stretches: readonly Stretch[],
  gone: ReadonlySet<string>,
  newId: () => string,
): Change => changeTake(ownReading(track).id, take.id, t => recutTake(t, stretches, gone, newId));

interface Stretch {
  span: Span;
  pieces: readonly Piece[];
}

function recutTake(take: Take, stretches: readonly Stretch[], gone: ReadonlySet<string>, newId: () => string): Take {
  let { heard, regions, kinds } = take.corrections ?? noCorrections;
  const edits: Record<string, NoteEdit> = {};
  for (const [id, edit] of Object.entries(take.edits)) if (!gone.has(id)) edits[id] = edit;
  for (const { span, pieces } of stretches) {
    const notes = pieces.map(p => ({ start: seconds(p.start), end: seconds(p.end) }));
    ({ heard, regions, kinds } = setNotes({ heard, regions, kinds }, { ...span, notes }));
    pieces.forEach((p, i) => {
      if (p.edit) edits[newId()] = { ...p.edit, ...notes[i] };
    });
  }
  return {
    ...take,
    edits,
    corrections: correctionsWith(take, { heard, regions, kinds }),
  };
}

/** Pieces shorter than a note go to their neighbours. */
export function longEnough<T extends { start: number; end: number }>(pieces: readonly T[]): T[] {
  const out: T[] = [];
  for (const p of pieces) {
    const last = out[out.length - 1] as T | undefined;
    const touches = last?.end === p.start;
    if (last && touches && p.end - p.start < SHORTEST_FRAMES) last.end = p.end;
    else if (last && touches && last.end - last.start < SHORTEST_FRAMES)
      out[out.length - 1] = { ...p, start: last.start };
    else out.push({ ...p });
  }
  return out.filter(p => p.end - p.start >= SHORTEST_FRAMES);
}
