import { nothing, selectSpan, type Selection, type Span } from '@essim/core';
import { toast } from 'sonner';
import { bounded, type Viewport } from '../field/viewport';
import { loadMissing } from './loading';
import { seek } from './playing';
import { applyGains, soundGuide, soundTones } from './sounding';
import { groupOf, player, trackOf, useSession } from './state';

/** What is looked at and chosen. None of it is part of the song. */

const get = useSession.getState;
const set = useSession.setState;

export function look(view: Viewport, remember = false): void {
  set(s => ({ view, viewBefore: remember ? [...s.viewBefore.slice(-20), s.view] : s.viewBefore }));
}

export function lookBack(): void {
  const { viewBefore } = get();
  const view = viewBefore[viewBefore.length - 1];
  if (view) set({ view, viewBefore: viewBefore.slice(0, -1) });
}

export const choose = (selection: Selection): void => set({ selection });

/** Chooses a stretch of the edited track, whatever notes it cuts through. */
export function chooseSpan(a: number, b: number): { span: Span } {
  const selection = selectSpan(get().editTrackId, a, b);
  choose(selection);
  return { span: selection.span! };
}

/** Begins or ends the chosen stretch at the playhead. */
export function spanFromPlayhead(side: 'start' | 'end'): void {
  const s = get();
  const at = player()?.position ?? 0;
  const { span } = s.selection;
  const other = span ? (side === 'start' ? span.end : span.start) : side === 'start' ? s.duration : 0;
  const crossed = side === 'start' ? at >= other : at <= other;
  if (crossed) chooseSpan(at, side === 'start' ? s.duration : 0);
  else chooseSpan(at, other);
}

export function editTrack(trackId: string): void {
  set(s => ({ editTrackId: trackId, selection: nothing, viewedTrackIds: s.viewedTrackIds.filter(t => t !== trackId) }));
  if (get().ear !== 'off') void soundTones();
  soundGuide();
  applyGains();
  void loadMissing();
}

/** Whether the viewed tracks take the edited track's commands too. */
export function toggleGrouped(): void {
  const s = get();
  const grouped = !s.grouped;
  set({ grouped });
  const names = groupOf({ ...s, grouped }).map(t => t.name);
  const text = !grouped
    ? 'Commands act on the edited track alone.'
    : names.length
      ? `${names.join(', ')} ${names.length === 1 ? 'takes' : 'take'} the same commands.`
      : 'The tracks you view will take the same commands. View one by its eye.';
  toast(text, { id: 'grouped', duration: 3000 });
}

export function toggleViewed(trackId: string): void {
  if (!trackOf(get(), trackId)) return;
  set(s => ({
    viewedTrackIds: s.viewedTrackIds.includes(trackId)
      ? s.viewedTrackIds.filter(t => t !== trackId)
      : [...s.viewedTrackIds, trackId],
  }));
}

/** Puts the playhead just before a moment, and the moment into view. */
export function goToMoment(seconds: number): void {
  const { view, duration } = get();
  seek(Math.max(0, seconds - 0.3));
  if (seconds > view.from && seconds < view.to) return;
  const from = seconds - 0.2 * (view.to - view.from);
  look(bounded({ ...view, from, to: from + view.to - view.from }, duration), true);
}
