import { nearestStep, type Scale } from '../music';
import type { NoteFacts } from '../plan';
import type { NoteEdit } from '../song/document';
import type { Seconds } from '../units';

/**
 * Edits that put notes on the nearest step allowed when they begin. Pinned notes are left alone.
 * @param edits of the notes, by their keys @returns the same of those that are put, by their keys
 */
export function settle(
  notes: readonly NoteFacts[],
  edits: Readonly<Record<string, NoteEdit>>,
  scale: Scale | ((seconds: Seconds) => Scale),
): Record<string, NoteEdit> {
  const out: Record<string, NoteEdit> = {};
  const scaleAt = typeof scale === 'function' ? scale : () => scale;
  for (const n of notes) {
    const old = edits[n.key] as NoteEdit | undefined;
    if (old?.pinned) continue;
    out[n.key] = {
      ...old,
      start: n.start,
      end: n.end,
      target: nearestStep(scaleAt(n.start), (old?.target ?? n.sung) * 100) / 100,
    };
  }
  return out;
}
