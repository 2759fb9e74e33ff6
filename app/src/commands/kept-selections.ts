import { KeptSelection, notesAt, select, selectSpan, setSong, type SpanRecord } from '@essim/core';
import { toast } from 'sonner';
import { newId } from '../keeping/ids';
import { choose, currentScope, change, songOf, useSession, viewOf } from '../open-song';

/** Selections kept by name with the song. */

const state = useSession.getState;
const MOST_NAMES = 1000;

/** Keeps what is chosen now. A name that is taken gets the new places. */
export function keepSelection(name: string): void {
  const s = state();
  const song = songOf(s);
  const { kind, parts } = currentScope(s);
  if (!song || (kind !== 'selection' && kind !== 'span'))
    return void toast('Choose notes or a stretch to keep first.', { id: 'choose' });
  const stretch = s.selection.span;
  const places: SpanRecord[] = stretch ? [stretch] : parts.map(({ start, end }) => ({ start, end }));
  const before = song.kept.find(k => k.name === name && k.trackId === s.editTrackId);
  if (!before && song.kept.length >= MOST_NAMES) return void toast('No more selections can be kept in this song.');
  const made = Object.assign(new KeptSelection(), {
    id: before?.id ?? newId(),
    name,
    trackId: s.editTrackId,
    places,
    stretch: !!stretch,
  });
  const kept = before ? song.kept.map(k => (k === before ? made : k)) : [...song.kept, made];
  change(`Keep the selection “${name}”`, setSong({ kept }));
}

/** Chooses what was kept; notes are found by where they lie. */
export function chooseKept({ name, trackId, places, stretch }: KeptSelection): void {
  if (stretch) return choose(selectSpan(trackId, places[0].start, places[0].end));
  const keys = notesAt(places, viewOf(state(), trackId).syllables);
  choose(select(trackId, keys));
  if (!keys.length) toast(`None of the notes of “${name}” is heard any more.`, { id: 'kept' });
}

/** Forgets a kept selection; its notes stay as they are. */
export function forgetKept(id: string): void {
  const song = songOf(state());
  const gone = song?.kept.find(k => k.id === id);
  if (song && gone) change(`Forget the selection “${gone.name}”`, setSong({ kept: song.kept.filter(k => k !== gone) }));
}
