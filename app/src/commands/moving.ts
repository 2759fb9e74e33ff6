import { act, targetOf, useSession, type SessionState } from '../open-song';

/** Moving chosen notes up and down by key, at every desk where notes are seen. */

/** Names what is in scope, so that presses that follow each other are one entry. */
export const scopeName = (s: SessionState): string => {
  const { parts } = targetOf(s).tracks[0] ?? { parts: [] };
  return `${s.editTrackId} ${parts.length} ${parts[0]?.key ?? ''}`;
};

/** Moves the scope by a step of the key, a semitone, or five cents. */
export function nudge(by: 1 | -1, size: 'step' | 'semitone' | 'fine'): void {
  const how = { kind: `nudge ${size} ${scopeName(useSession.getState())}` };
  if (size === 'step') act('step', { steps: by }, how);
  else if (size === 'semitone') act('move', { semitones: by, snap: 'semitone' }, how);
  else act('move', { semitones: 0.05 * by }, how);
}
