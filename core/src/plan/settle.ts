import { nearestStep, type Scale } from '../music';
import { noteKey, type NoteEdit } from '../song/document';
import type { Movements } from './plan';

/** A note as commands and the field know it. */
export interface NoteFacts {
  key: string;
  start: number;
  end: number;
  /** When it is heard to begin. */
  onset: number;
  /** Its centre as sung, MIDI. */
  sung: number;
}

/** Facts of every note of a take, centres from the movement split. */
export const noteFacts = (m: Movements): NoteFacts[] =>
  m.reading.notes.map((n, i) => ({
    key: noteKey(n),
    start: n.start,
    end: n.end,
    onset: n.onset,
    sung: m.notes[i].centre / 100,
  }));

/** Edits that put notes on the nearest step allowed when they begin. Pinned notes are left alone. */
export function settle(
  notes: readonly NoteFacts[],
  edits: Readonly<Record<string, NoteEdit>>,
  scale: Scale | ((seconds: number) => Scale),
): Record<string, NoteEdit> {
  const out: Record<string, NoteEdit> = {};
  const scaleAt = typeof scale === 'function' ? scale : () => scale;
  for (const n of notes) {
    const old = edits[n.key];
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
