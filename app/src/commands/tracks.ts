import {
  addTrack,
  editsInOrder,
  following,
  freeName,
  leadTakeOf,
  moveTrack as movedTrack,
  PartRule,
  partTakeId,
  removeTrack,
  setTrack as trackWith,
  setTake,
  together,
  type Change,
  type NoteEdit,
  type PhraseMark,
  type Take,
  Track as EmptyTrack,
  type Track,
  type TrackFields,
} from '@essim/core';
import { toast } from 'sonner';
import { newId } from '../keeping/ids';
import { act, change, editTrack, editViewOf, isVocal, songOf, trackOf, undo, useSession, type How } from '../open-song';
import { countingEditsOf } from '../open-song/planning';

/** The commands on tracks as a whole. */

const state = useSession.getState;

export const setTrack = (label: string, track: Track, fields: TrackFields, how?: How): boolean =>
  change(label, trackWith(track.id, fields), how);

const onTrack = (track: Track) => ({ target: { tracks: [{ track, parts: [] }], span: null, broad: true } });

/** Sets a track's place in the mix; steps of a gesture are held. */
export const setMix = (
  track: Track,
  fields: { levelDb?: number; pan?: number; mute?: boolean; solo?: boolean },
  how: How = {},
): boolean => act('mix', fields, { ...how, ...onTrack(track) });

/** An empty track, to record or bring takes into. */
export function addEmptyTrack(): void {
  const song = songOf(state());
  if (!song) return;
  const role = song.tracks.some(t => t.role === 'lead') ? 'harmony' : 'lead';
  const name = freeName(song, role === 'lead' ? 'Lead' : 'Voice');
  const track = Object.assign(new EmptyTrack(), { id: newId(), name, role });
  if (change(`Add ${name}`, addTrack(track, song.tracks.length))) editTrack(track.id);
}

export function moveTrack(trackId: string, index: number): void {
  const track = trackOf(state(), trackId);
  const count = songOf(state())?.tracks.length ?? 0;
  if (track) change(`Move ${track.name}`, movedTrack(trackId, Math.max(0, Math.min(count - 1, index))));
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
      return [t.id, lead && of ? partTakeId(id, lead, of.id) : newId()];
    }),
  );
  const copy: Track = {
    ...track,
    id,
    name: `${track.name} copy`.slice(0, 200),
    takes: track.takes.map((t): Take => ({ ...t, id: ids.get(t.id)! })),
    segments: track.segments.map(g => ({ ...g, takeId: ids.get(g.takeId)! })),
    // a copy is no voice of the choir: the others stay as they are led
    ...(track.part?.choir ? { part: Object.assign(new PartRule(), track.part, { choir: newId() }) } : {}),
  };
  change(`Duplicate ${track.name}`, addTrack(copy, song.tracks.indexOf(track) + 1));
}

/** What makes parts of a track stand on their own, with the notes they have now: for when it is deleted. */
export function freedParts(lead: Track): Change[] {
  const s = state();
  return (songOf(s)?.tracks ?? [])
    .filter(t => t.part?.fromId === lead.id)
    .flatMap(t => [
      // first they are no parts any more, so that what they had of their lead becomes theirs
      trackWith(t.id, { part: null }),
      ...t.takes.map(take => {
        const notes = s.takes[take.id]?.reading?.notes ?? [];
        const edits = Object.fromEntries(
          editsInOrder(notes, countingEditsOf(s, t, take)).flatMap((e): [string, NoteEdit][] =>
            e ? [[newId(), e]] : [],
          ),
        );
        return setTake(t.id, take.id, { edits });
      }),
    ]);
}

/** Takes a track out; tracks that followed it follow nobody. The notice takes it back. */
export function deleteTrack(track: Track): void {
  const song = songOf(state());
  if (!song) return;
  const freed = song.tracks
    .filter(t => t.followsId === track.id && !t.part)
    .map(t => trackWith(t.id, following(t, null)));
  const done = change(`Delete ${track.name}`, together([...freed, ...freedParts(track), removeTrack(track.id)]));
  if (done) toast(`${track.name} is deleted.`, { action: { label: 'Undo', onClick: undo }, duration: 8000 });
}

/** Lets a track follow another (null: nobody). A circle is refused with the reason. */
export function follow(track: Track, leadId: string | null): void {
  act('follow', leadId ? { lead: leadId } : {}, onTrack(track));
}

/** Makes a track the lead of its stack: those it followed, their followers, or all voices where there is no stack, follow it now. */
export function leadStack(track: Track): void {
  const song = songOf(state());
  if (!song) return;
  const vocal = song.tracks.filter(t => isVocal(t) && !t.part && t.id !== track.id);
  const stack = track.followsId
    ? vocal.filter(t => t.id === track.followsId || t.followsId === track.followsId)
    : vocal.filter(t => !t.followsId && !vocal.some(o => o.followsId === t.id));
  change(
    `${track.name} leads`,
    together([trackWith(track.id, following(track, null)), ...stack.map(t => trackWith(t.id, following(t, track.id)))]),
  );
}

/** Puts the edited track's phrases into the song as changed. */
export function setPhrases(label: string, make: (phrases: readonly PhraseMark[]) => PhraseMark[], how?: How): void {
  const s = state();
  const track = trackOf(s, s.editTrackId);
  if (track) setTrack(label, track, { phrases: make(editViewOf(s).phrases) }, how);
}
