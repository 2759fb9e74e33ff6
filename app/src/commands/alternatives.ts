import { alternativesOf, sungStretch, type Alternative, type Span } from '@essim/core';
import { act, editTrackOf, phraseSpan, songOf, targetOf, useSession, type SessionState } from '../open-song';

/** Several tunings of a phrase, or of the chosen stretch, side by side. */

/** Before and after a phrase, what counts as its own, s. */
const MARGIN = 0.3;

/** The stretch that is meant: the chosen one, else the phrase. Song time as heard. */
function meant(s: SessionState): Span | null {
  if (s.selection.trackId === s.editTrackId && s.selection.span) return s.selection.span;
  const phrase = phraseSpan(s);
  return phrase && { start: phrase.from + MARGIN, end: phrase.to - MARGIN };
}

/** Tunings kept of the stretch that is meant. */
export function alternativesNow(s: SessionState): Alternative[] {
  const [song, track, span] = [songOf(s), editTrackOf(s), meant(s)];
  if (!song || !track || !span) return [];
  return alternativesOf(track, sungStretch(song, track, span));
}

/** Hears another tuning of a stretch; one that is new begins as it is now. */
export function hearAlternative(name: string, span = meant(useSession.getState())): boolean {
  const s = useSession.getState();
  return !!span && act('alternative', { name }, { target: { ...targetOf(s), span } });
}

export function removeAlternative(name: string): boolean {
  const s = useSession.getState();
  const span = meant(s);
  return !!span && act('alternative', { name, remove: true }, { target: { ...targetOf(s), span } });
}

/** Another tuning, under the next letter. */
export function addAlternative(): boolean {
  const names = new Set(alternativesNow(useSession.getState()).map(a => a.name));
  const letters = [...'BCDEFGHIJKLMNOPQRSTUVWXYZ'];
  return hearAlternative(letters.find(l => !names.has(l)) ?? `${names.size + 1}`);
}

/** The next of the tunings there are. */
export function nextAlternative(): boolean {
  const all = alternativesNow(useSession.getState());
  const at = all.findIndex(a => a.heard);
  return all.length ? hearAlternative(all[(at + 1) % all.length].name) : addAlternative();
}
