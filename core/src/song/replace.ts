import { shiftedBy, type Seconds } from '../units';
import { editAt } from './edit-times';
import type { Alternative, NoteEdit, Take, Word } from './document';

/** What becomes of a take whose recording is replaced. */
export interface Replaced {
  fields: Pick<Take, 'sourceId' | 'offsetSeconds' | 'edits' | 'words' | 'noises' | 'corrections'>;
  /** Edits, words and corrections that have no place in the new recording; left out. */
  lost: { start: Seconds; end: Seconds; what: 'edit' | 'word' | 'noise' | 'correction'; text: string }[];
}

/**
 * Moves everything that belongs to a take's own time over to a new recording of the same performance.
 * @param offset new time minus old time of the same moment
 * @param duration of the new recording
 * @param missing stretches of the old recording, in its time, that the new one does not have
 */
export function replaceRecording(
  take: Take,
  sourceId: string,
  offset: Seconds,
  duration: Seconds,
  missing: readonly { start: Seconds; end: Seconds }[],
): Replaced {
  const lost: Replaced['lost'] = [];
  const fits = (s: { start: number; end: number }) => {
    const length = s.end - s.start;
    const gone = missing.reduce((sum, m) => sum + Math.max(0, Math.min(m.end, s.end) - Math.max(m.start, s.start)), 0);
    return s.start + offset >= 0 && s.end + offset <= duration + 0.05 && gone < length / 2;
  };
  const edits: Record<string, NoteEdit> = {};
  for (const [id, e] of Object.entries(take.edits)) {
    if (fits(e)) edits[id] = editAt(e, t => t + offset);
    else lost.push({ start: e.start, end: e.end, what: 'edit', text: 'edited note' });
  }
  const words: Word[] = [];
  for (const w of take.words) {
    if (fits(w)) words.push({ ...w, start: w.start + offset, end: w.end + offset });
    else lost.push({ start: w.start, end: w.end, what: 'word', text: w.text });
  }
  const moved = <T extends { start: number; end: number }>(
    list: readonly T[],
    what: 'noise' | 'correction' = 'correction',
  ): T[] =>
    list.flatMap(s => {
      if (fits(s)) return [{ ...s, start: s.start + offset, end: s.end + offset }];
      const text = what === 'noise' ? 'a noise turned up or down' : 'what was put right in the reading';
      lost.push({ start: s.start, end: s.end, what, text });
      return [];
    });
  const corrections = take.corrections && {
    heard: moved(take.corrections.heard),
    regions: moved(take.corrections.regions).map(r => ({ ...r, notes: r.notes.map(n => shiftedBy(n, offset)) })),
    kinds: moved(take.corrections.kinds),
    // a new recording is read anew, and looked at anew
    looked: [],
  };
  const noises = moved(take.noises, 'noise');
  return { fields: { sourceId, offsetSeconds: take.offsetSeconds - offset, edits, words, noises, corrections }, lost };
}

/** Other tunings of a track where what is kept of a take is moved along with its recording. */
export const alternativesMoved = (
  alternatives: readonly Alternative[],
  takeId: string,
  offset: Seconds,
): Alternative[] =>
  alternatives.map(a => ({
    ...a,
    // what would lie before the new recording's start has no place in it
    edits: a.edits.flatMap(e =>
      e.takeId !== takeId ? [e] : e.start + offset >= 0 ? [editAt(e, t => Math.max(0, t + offset))] : [],
    ),
  }));
