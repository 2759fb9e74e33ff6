import {
  countingEdits,
  trackView,
  unreadTake,
  overlapOf,
  select,
  type TakeView,
  type Track,
  type TrackSyllable,
  type TrackView,
} from '@essim/core';
import { scoreOf, songOf, useSession } from './state';

/** What is known of takes, and of tracks joined from them. */

const get = useSession.getState;
const set = useSession.setState;

/** Notes what became known of a take, and joins its track anew. */
export function setTake(takeId: string, change: Partial<TakeView>): void {
  const only = Object.keys(change);
  put([[takeId, change]]);
  const track = songOf(get())?.tracks.find(t => t.takes.some(k => k.id === takeId));
  if (!track) return;
  const view = get().views[track.id] as TrackView | undefined;
  // how far a reading is changes nothing in a comp that does not wait for it
  if (only.length === 1 && only[0] === 'progress' && view?.status !== 'reading' && !view?.partial) return;
  refreshView(track);
  if (change.notes && view) keepChosen(track, view.syllables);
}

/** The same of several takes of one track that nobody has seen yet, joined once. */
export function setTakes(track: Track, changes: readonly [takeId: string, Partial<TakeView>][]): void {
  put(changes);
  refreshView(track);
}

const put = (changes: readonly [string, Partial<TakeView>][]): void =>
  set(s => {
    const takes = { ...s.takes };
    for (const [id, change] of changes) takes[id] = { ...(takes[id] ?? unreadTake), ...change };
    return { takes };
  });

/** Notes that were chosen stay chosen when another reading has them a little elsewhere. */
function keepChosen(track: Track, before: readonly TrackSyllable[]): void {
  const { selection, views } = get();
  if (selection.trackId !== track.id || !selection.notes.size) return;
  const { syllables: notes } = views[track.id];
  const keys = new Set(notes.map(n => n.key));
  if ([...selection.notes].every(k => keys.has(k))) return;
  const chosen = before.filter(n => selection.notes.has(n.key));
  const still = notes.filter(n => chosen.some(c => overlapOf(c, n) > 0.5 * Math.min(c.end - c.start, n.end - n.start)));
  set({
    selection: select(
      track.id,
      still.map(n => n.key),
    ),
  });
}

/** Joins a track's takes anew after one of them or its comp changed. */
export function refreshView(track: Track): void {
  const s = get();
  const song = songOf(s);
  if (!song) return;
  const score = scoreOf(s);
  const view = trackView(song, track, s.takes, take => countingEdits(score, track, take), s.views[track.id]);
  set({ views: { ...s.views, [track.id]: view } });
}
