import { giveUp, playStretch, stopStretch, useSession } from '../open-song';

/** Hearing what would be before it is taken; nothing is changed. */

/** Before and after a note, when it is heard as it could be, s. */
const BEFORE = 0.9;
const AFTER = 0.5;
let trying: string | null = null;

/** @param name of what is tried @param hold shows and sounds it as a draft */
export function tryOut(name: string, hold: () => void, span: { start: number; end: number }): void {
  if (trying === name) return;
  stopTrying();
  trying = name;
  hold();
  if (!useSession.getState().playing) void playStretch(Math.max(0, span.start - BEFORE), span.end + AFTER);
}

export function stopTrying(): void {
  if (trying === null) return;
  trying = null;
  giveUp();
  stopStretch();
}
