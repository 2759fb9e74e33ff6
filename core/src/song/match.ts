import { lastAtMost, lengthOf, middleOf, overlapOf, type Span } from '../units';
import type { NoteEdit } from './document';

/**
 * Which edit is meant for which note. The only place that knows: an edit has an id that means nothing and the span of the note it was
 * made for, and finds its note by overlap, whatever became of the reading meanwhile. A note that was cut keeps what was decided about
 * it in all its pieces; of two edits that claim one note the one that covers more of it counts.
 */

export type Edits = Readonly<Record<string, NoteEdit>>;

const known = new WeakMap<Edits, WeakMap<readonly Span[], readonly (string | undefined)[]>>();

/**
 * Ids of the edits meant for notes, one a note; undefined where nothing was decided.
 * @param notes in time order, take time @param edits of the same take, take time
 * Cost: that of sorting the edits; known for lists that were asked for before.
 */
export function matchEdits(notes: readonly Span[], edits: Edits): readonly (string | undefined)[] {
  const byNotes = known.get(edits) ?? new WeakMap<readonly Span[], readonly (string | undefined)[]>();
  known.set(edits, byNotes);
  let found = byNotes.get(notes);
  if (!found) byNotes.set(notes, (found = matched(notes, edits)));
  return found;
}

function matched(notes: readonly Span[], edits: Edits): (string | undefined)[] {
  const sorted = Object.entries(edits).sort((a, b) => a[1].start - b[1].start);
  const out = new Array<string | undefined>(notes.length).fill(undefined);
  // until when any of the edits up to here lasts, so that looking back ends
  const lasts = new Float64Array(sorted.length);
  sorted.forEach(([, e], i) => (lasts[i] = Math.max(e.end, i ? lasts[i - 1] : 0)));
  notes.forEach((note, k) => {
    let most = 0;
    for (let i = lastAtMost(sorted, note.end, ([, e]) => e.start); i >= 0 && lasts[i] > note.start; i--) {
      const claim = claimOf(note, sorted[i][1]);
      if (claim > most) [most, out[k]] = [claim, sorted[i][0]];
    }
  });
  return out;
}

/** How well an edit fits a note, above 0 where it is meant for it: the overlap, and a little for how alike their spans are. */
function claimOf(note: Span, edit: Span): number {
  const overlap = overlapOf(note, edit);
  if (overlap <= 0.5 * Math.min(lengthOf(note), lengthOf(edit)) || overlap <= 0) return 0;
  const both = Math.max(note.end, edit.end) - Math.min(note.start, edit.start);
  return overlap + (1e-3 * overlap) / both;
}

/**
 * Ids whose edits differ between two lists of edits that are meant for the same notes by the same ids, as while one of them is dragged:
 * what the later one means is then known without looking for it. Null where they may mean other notes.
 */
export function changedAlone(notes: readonly Span[], before: Edits, after: Edits): ReadonlySet<string> | null {
  const ids = known.get(before)?.get(notes);
  if (!ids) return null;
  const changed = new Set<string>();
  for (const id in after) {
    const [was, is] = [before[id], after[id]];
    if (was === is) continue;
    if (was?.start !== is.start || was.end !== is.end) return null;
    changed.add(id);
  }
  for (const id in before) if (!(id in after)) return null;
  const byNotes = known.get(after) ?? new WeakMap<readonly Span[], readonly (string | undefined)[]>();
  known.set(after, byNotes);
  byNotes.set(notes, ids);
  return changed;
}

/** Edits of notes in their order. */
export const editsInOrder = (notes: readonly Span[], edits: Edits): (NoteEdit | undefined)[] =>
  matchEdits(notes, edits).map(id => (id === undefined ? undefined : edits[id]));

/**
 * Edits of a take with those of some notes set as a whole, or taken off (null). What another note shared stays with that note; what lay
 * inside a note unseen goes.
 * @param changes by the note's index @param newId ids for edits that are new
 */
export function withNoteEdits(
  edits: Edits,
  notes: readonly Span[],
  changes: ReadonlyMap<number, NoteEdit | null>,
  newId: () => string,
): Record<string, NoteEdit> {
  const out: Record<string, NoteEdit> = { ...edits };
  const ids = matchEdits(notes, edits);
  const sharers = new Map<string, number[]>();
  ids.forEach((id, k) => {
    if (id !== undefined) sharers.set(id, [...(sharers.get(id) ?? []), k]);
  });
  const used = new Set<string>();
  const put = (k: number, edit: NoteEdit) => {
    const own = ids[k];
    const id = own !== undefined && !used.has(own) ? own : newId();
    used.add(id);
    out[id] = { ...edit, start: notes[k].start, end: notes[k].end };
  };
  const unseen = Object.entries(edits).filter(([id]) => !sharers.has(id));
  for (const [k, edit] of changes) {
    for (const [id, other] of unseen) if (isInside(other, notes[k])) delete out[id];
    if (edit) put(k, edit);
  }
  for (const k of changes.keys()) {
    const id = ids[k];
    if (id === undefined) continue;
    const others = sharers.get(id)!.filter(o => !changes.has(o));
    if (!used.has(id)) delete out[id];
    // the other pieces of a note that was cut keep what they had
    for (const o of others) if (edits[id]) put(o, edits[id]);
    sharers.set(id, []);
  }
  return out;
}

function isInside(edit: Span, note: Span): boolean {
  const middle = middleOf(edit);
  return middle >= note.start && middle < note.end;
}
