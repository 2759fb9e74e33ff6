import {
  choirOf,
  countingEdits,
  leans,
  sourceOfPart,
  surroundingsOf,
  type Edits,
  type Song,
  type Take,
  type TakeSurroundings,
  type Track,
} from '@essim/core';
import { toast } from 'sonner';
import type { PlannedTake } from '../jobs/take-job';
import { syncPlayer } from './sounding';
import { clientOf, opened, scoreOf, songOf, useSession, viewOf, type SessionState } from './state';
import { setTake } from './views';

/** Plans takes as they are to sound now; their workers render them. */

const get = useSession.getState;

/** Edits of a take as they count: its own, and for a part what its rule makes of the lead's. */
export const countingEditsOf = (s: SessionState, track: Track, take: Take): Edits =>
  countingEdits(scoreOf(s), track, take);

/** How a take is to sound besides its notes' edits. */
export const surroundingsNow = (s: SessionState, track: Track, take: Take): TakeSurroundings | null => {
  const song = songOf(s);
  return song && surroundingsOf(song, track, take, id => viewOf(s, id), scoreOf(s).scaleAt, s.takes[take.id]);
};

/** What each take was planned with last; the same again is not planned again. */
const planned = new Map<string, { client: object; edits: Edits; around: TakeSurroundings | null }>();
/** Takes whose plan is on its way. */
const awaited = new Set<string>();
export function forgetPlans(): void {
  planned.clear();
  awaited.clear();
}
/** Waits until what is shown of every take is what its edits make of it. */
export async function allPlanned(): Promise<void> {
  while (awaited.size) await new Promise(r => setTimeout(r, 20));
}

/** Plans and renders a take again after something about it changed. @param anew its worker has another reading of it */
export function replan(takeId: string, anew = false): void {
  const s = get();
  const track = songOf(s)?.tracks.find(t => t.takes.some(k => k.id === takeId));
  const take = track?.takes.find(t => t.id === takeId);
  const client = clientOf(takeId);
  if (!track || !take || !client || s.takes[takeId]?.status !== 'ready') return;
  const edits = countingEditsOf(s, track, take);
  const around = surroundingsNow(s, track, take);
  const last = planned.get(takeId);
  if (!anew && last?.client === client && last.edits === edits && last.around === around) return;
  planned.set(takeId, { client, edits, around });
  awaited.add(takeId);
  client.plan(
    edits,
    around,
    result => {
      // another may be on its way already
      if (planned.get(takeId)?.edits === edits) awaited.delete(takeId);
      adoptPlan(track.id, takeId, result);
    },
    error => {
      awaited.delete(takeId);
      planned.delete(takeId);
      toast.error(`${take.name} could not be planned: ${error instanceof Error ? error.message : String(error)}.`, {
        id: 'plan',
      });
    },
  );
}

function adoptPlan(trackId: string, takeId: string, result: PlannedTake): void {
  const open = opened();
  const sound = open?.sounds.get(takeId);
  if (!open || !sound) return;
  if (result.tiles) {
    // the first edit of a take: from now on it has sound of its own
    open.sounds.set(takeId, { ...sound, tiles: result.tiles });
    syncPlayer();
  }
  const before = get().takes[takeId]?.line;
  setTake(takeId, {
    line: result.line,
    gainDb: result.gainDb ?? null,
    patched: before && result.dirty ? { before, frames: result.dirty } : undefined,
  });
  replanLeaning(trackId);
}

/** Followers whose pitch leans to a track take its new line along, parts of them too. */
function replanLeaning(leadId: string): void {
  for (const t of songOf(get())?.tracks ?? [])
    if (t.followsId === leadId && leans(t) && t.found) for (const k of t.takes) replan(k.id);
}

/** Whether two states of a take's corrections make the same reading. */
export const heardAlike = (a: Take['corrections'], b: Take['corrections']): boolean =>
  a === b ||
  (['heard', 'regions', 'kinds'] as const).every(k => a?.[k] === b?.[k] || (!a?.[k].length && !b?.[k].length));

/** Whether a track is to sound otherwise though its own edits are the same: as a follower, or as a part of another. */
export function surroundedOtherwise(before: Song, now: Song, track: Track): boolean {
  const old = before.tracks.find(t => t.id === track.id);
  if (!old) return false;
  if ((['align', 'found', 'followsId', 'part', 'whole', 'time'] as const).some(k => old[k] !== track[k])) return true;
  // what its lead follows bends it too
  const lead = (s: Song) => s.tracks.find(t => t.id === track.followsId);
  const [was, is] = [lead(before), lead(now)];
  if (was && is && was !== is && surroundedOtherwise(before, now, is)) return true;
  const tunedOtherwise = () =>
    (['key', 'keyChanges', 'referenceHz', 'tempo', 'tuning'] as const).some(k => before[k] !== now[k]);
  if (track.whole.length && tunedOtherwise()) return true;
  if (!track.part) return false;
  const [then, since] = [before, now].map(s => sourceOfPart(s, track));
  if (then?.takes !== since?.takes || tunedOtherwise()) return true;
  if (since?.part && surroundedOtherwise(before, now, since)) return true;
  if (track.part.by === 'guide') return old.guide !== track.guide;
  if (track.part.by !== 'chords') return false;
  const [sang, sing] = [before, now].map(s => choirOf(s, track).map(t => t.part));
  return before.chords !== now.chords || sang.length !== sing.length || sang.some((p, i) => p !== sing[i]);
}
