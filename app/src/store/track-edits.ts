import {
  AddTrack,
  AlignRule,
  circles,
  leadTakeOf,
  MoveTrack,
  partTakeId,
  RemoveTrack,
  SetTrack,
  Together,
  type PhraseMark,
  type Take,
  type Track,
  type TrackFields,
} from '@essim/core';
import { toast } from 'sonner';
import { freedParts } from './bearing';
import { newId } from './ids';
import { editViewOf, isVocal, run, songOf, trackOf, undo, useSession } from './session';

/** The commands on tracks as a whole. */

const state = useSession.getState;

export const setTrack = (label: string, track: Track, fields: Partial<TrackFields>, gesture?: string): void =>
  run(new SetTrack(label, track.id, fields, gesture ?? null));

export function moveTrack(trackId: string, index: number): void {
  const track = trackOf(state(), trackId);
  const count = songOf(state())?.tracks.length ?? 0;
  if (track) run(new MoveTrack(`Move ${track.name}`, trackId, Math.max(0, Math.min(count - 1, index))));
}

/** Moves the edited track up or down in the order. */
export function shiftTrack(by: 1 | -1): void {
  const s = state();
  const index = songOf(s)?.tracks.findIndex(t => t.id === s.editTrackId) ?? -1;
  if (index >= 0) moveTrack(s.editTrackId, index + by);
}

/** A copy of a track with takes and edits of its own, below it. */
export function duplicateTrack(track: Track): void {
  const song = songOf(state());
  if (!song) return;
  const id = newId();
  const lead = track.part && song.tracks.find(t => t.id === track.part!.fromId);
  // the takes of a part are named by their lead's, so that its own edits are found again
  const ids = new Map(
    track.takes.map(t => {
      const of = lead && leadTakeOf(track, lead, t.id);
      return [t.id, of ? partTakeId(id, of.id) : newId()];
    }),
  );
  const copy: Track = {
    ...track,
    id,
    name: `${track.name} copy`.slice(0, 200),
    takes: track.takes.map((t): Take => ({ ...t, id: ids.get(t.id)! })),
    segments: track.segments.map(g => ({ ...g, takeId: ids.get(g.takeId)! })),
  };
  run(new AddTrack(`Duplicate ${track.name}`, copy, song.tracks.indexOf(track) + 1));
}

/** Takes a track out; tracks that followed it follow nobody. The notice takes it back. */
export function deleteTrack(track: Track): void {
  const song = songOf(state());
  if (!song) return;
  const freed = song.tracks
    .filter(t => t.followsId === track.id)
    .map(t => new SetTrack(`Delete ${track.name}`, t.id, following(t, null)));
  const parts = freedParts(state(), `Delete ${track.name}`, track);
  run(new Together(`Delete ${track.name}`, [...freed, ...parts, new RemoveTrack(`Delete ${track.name}`, track.id)]));
  toast(`${track.name} is deleted.`, { action: { label: 'Undo', onClick: undo }, duration: 8000 });
}

/** What a track that follows another lead from now on gives up: what was found and tied with the old one. */
const following = (track: Track, followsId: string | null): Partial<TrackFields> => ({
  followsId,
  found: null,
  align: track.align && Object.assign(new AlignRule(), track.align, { ties: [], moved: [] }),
});

/** Lets a track follow another (null: nobody). A circle is refused with the reason. */
export function follow(track: Track, leadId: string | null): void {
  const song = songOf(state());
  const lead = song?.tracks.find(t => t.id === leadId);
  if (song && leadId && circles(song, track.id, leadId)) {
    toast.error(`${track.name} cannot follow ${lead?.name}: ${lead?.name} already follows ${track.name}.`);
    return;
  }
  setTrack(
    lead ? `${track.name} follows ${lead.name}` : `${track.name} follows nobody`,
    track,
    following(track, leadId),
  );
}

/** Makes a track the lead of its stack: those it followed, their followers, or all voices where there is no stack, follow it now. */
export function leadStack(track: Track): void {
  const song = songOf(state());
  if (!song) return;
  const vocal = song.tracks.filter(t => isVocal(t) && !t.part && t.id !== track.id);
  const stack = track.followsId
    ? vocal.filter(t => t.id === track.followsId || t.followsId === track.followsId)
    : vocal.filter(t => !t.followsId && !vocal.some(o => o.followsId === t.id));
  const label = `${track.name} leads`;
  run(
    new Together(label, [
      new SetTrack(label, track.id, following(track, null)),
      ...stack.map(t => new SetTrack(label, t.id, following(t, track.id))),
    ]),
  );
}

/** Puts the edited track's phrases into the document as changed. */
export function setPhrases(
  label: string,
  change: (phrases: readonly PhraseMark[]) => PhraseMark[],
  gesture?: string,
): void {
  const s = state();
  const track = trackOf(s, s.editTrackId);
  if (track) setTrack(label, track, { phrases: change(editViewOf(s).phrases) }, gesture);
}
