import {
  addNote,
  asRead,
  centreOf,
  correctionsWith,
  cutsIn,
  doubtsOf,
  hear,
  hearings,
  joinNotes,
  leadTakeOf,
  likeNeighbours,
  moveBorder,
  noCorrections,
  noteName,
  removeNotes,
  setKind,
  setTake,
  splitNote,
  together,
  counted,
  matchEdits,
  placedClips,
  sourceOfPart,
  type Change,
  type Edits,
  type Place,
  type TrackNote,
  type Cuts,
  type Doubt,
  type Hearing,
  type NoteEdit,
  type ReadNoise,
  type Reading,
  type ReadingCorrections,
  type ScopePart,
  type Span,
  type StretchKind,
  type Take,
} from '@essim/core';
import { toast } from 'sonner';
import { newId } from '../keeping/ids';
import {
  currentScope,
  editTrackOf,
  editViewOf,
  player,
  scoreOf,
  change,
  scopeByTrack,
  songOf,
  useSession,
  viewOf,
  type SessionState,
} from '../open-song';

/** The commands that put a reading right; they work at every desk. Each is one step of the journal. */

const state = useSession.getState;

/** Corrections of a take as they stand. */
const of = (take: Take): ReadingCorrections => take.corrections ?? noCorrections;

type Correct = (c: ReadingCorrections) => ReadingCorrections;
type Correction = [take: Take, correct: Correct, edits?: Edits];

/** What a correction of a take is as a change of the song; a part is read as the track it is made from. */
function changeFor(take: Take, next: ReadingCorrections, edits?: Edits): Change {
  const song = songOf(state())!;
  const track = song.tracks.find(t => t.takes.some(k => k.id === take.id))!;
  const corrections = correctionsWith(take, next);
  const lead = sourceOfPart(song, track);
  const read = lead && leadTakeOf(track, lead, take.id);
  if (lead && read) return setTake(lead.id, read.id, { corrections });
  return setTake(track.id, take.id, { corrections, ...(edits ? { edits } : {}) });
}

/** Makes corrections of takes, as one step. */
function correct(label: string, corrections: Iterable<Correction>): void {
  const changes = [...corrections].flatMap(([take, correction, edits]) => {
    const next = correction(of(take));
    return next === of(take) ? [] : [changeFor(take, next, edits)];
  });
  if (changes.length) change(label, together(changes));
}

/** The take that is heard at a moment of a track, and its place. */
export function takeAt(s: SessionState, time: number, track = editTrackOf(s)): { take: Take; place: Place } | null {
  const song = songOf(s);
  const clip = song && track && placedClips(song, track).find(c => time >= c.from && time < c.to);
  const take = track?.takes.find(t => t.id === clip?.takeId);
  return take && clip ? { take, place: clip.place } : null;
}

const inTake = ({ start, end }: Span, place: Place): Span => ({ start: place.toTake(start), end: place.toTake(end) });
const own = (n: TrackNote): Span => inTake(n, n.place);

/** A note in scope, with what a span cuts out of it: song time. */
interface ScopeNote extends TrackNote {
  part: ScopePart;
}
const ownPart = ({ part, place }: ScopeNote): Span => inTake(part, place);
/** Where a note in scope, or the part of it that is meant, is heard now. */
function heardAt(n: ScopeNote): number {
  const reading = state().takes[n.takeId]?.reading;
  return n.part.whole || !reading ? n.sung : centreOf(reading.f0, reading.levelDb, ownPart(n));
}

/** Notes by their takes, of whatever track. */
function byTake<N extends TrackNote>(notes: readonly N[]): Map<Take, N[]> {
  const takes = new Map(songOf(state())?.tracks.flatMap(t => t.takes.map(k => [k.id, k] as const)));
  const out = new Map<Take, N[]>();
  for (const n of notes) {
    const take = takes.get(n.takeId);
    if (take) out.set(take, [...(out.get(take) ?? []), n]);
  }
  return out;
}

/** Notes a command acts on now, of every track of the group. */
export function scopeNotes(): ScopeNote[] {
  const s = state();
  return scopeByTrack(s).flatMap(({ track, parts }) => {
    const meant = new Map(parts.map(p => [p.key, p]));
    return viewOf(s, track.id).notes.flatMap(n => {
      const part = meant.get(n.key);
      return part ? [{ ...n, part }] : [];
    });
  });
}

/** Only what was chosen; never a whole phrase by accident. */
function chosenNotes(what: string): ScopeNote[] {
  const { kind } = currentScope(state());
  if (kind === 'selection' || kind === 'span') return scopeNotes();
  toast(`Choose the notes to ${what} first.`, { id: 'choose' });
  return [];
}
/** The same without notes of which a span holds only a lesser part. */
const mostlyChosen = (what: string): ScopeNote[] => chosenNotes(what).filter(n => n.part.mostly);

// ---- borders

/** Edits of a take when a note of it is cut: what was decided about it goes on in all the parts, each by itself. */
function editsOfParts(edits: Edits, note: TrackNote, cuts: readonly number[]): Edits {
  const notes = state().takes[note.takeId]?.reading?.notes;
  const id = notes && matchEdits(notes, edits)[note.index];
  if (id === undefined || !cuts.length) return edits;
  const { start, end } = own(note);
  const edges = [start, ...cuts, end];
  const { [id]: edit, ...others } = edits;
  const parts = edges
    .slice(1)
    .map((to, i): [string, NoteEdit] => [i ? newId() : id, { ...edit, start: edges[i], end: to }]);
  return { ...others, ...Object.fromEntries(parts) };
}

/** Cuts the note under a moment of the song; by key, under the pointer or the playhead. */
export function splitAt(time: number): void {
  const s = state();
  const notes = scopeByTrack(s).flatMap(
    ({ track }) => viewOf(s, track.id).notes.find(n => time > n.start + 0.03 && time < n.end - 0.03) ?? [],
  );
  if (!notes.length) return void toast('There is no note to cut here.', { id: 'cut' });
  correct(
    notes.length > 1 ? `Split ${counted(notes.length, 'note')}` : 'Split a note',
    [...byTake(notes)].map(([take, [note]]) => {
      const at = note.place.toTake(time);
      return [take, c => splitNote(c, own(note), [at]), editsOfParts(take.edits, note, [at])];
    }),
  );
}

/** Makes the chosen notes one; a single one is joined to the next it touches. */
export function joinScope(): void {
  const s = state();
  const chosen = mostlyChosen('join');
  if (!chosen.length) return;
  // of each track what is chosen there, or that note and the next
  const lists = scopeByTrack(s).map(({ track }) => {
    const { notes } = viewOf(s, track.id);
    const here = notes.filter(n => chosen.some(c => c.key === n.key));
    return here.length === 1 ? notes.slice(notes.indexOf(here[0])).slice(0, 2) : here;
  });
  if (lists.some(list => byTake(list).size > 1)) return void toast('Notes of two takes cannot be joined.');
  const all = lists.flat();
  correct(
    `Join ${counted(all.length, 'note')}`,
    [...byTake(all)].map(([take, mine]): Correction => [take, c => joinNotes(c, mine.map(own))]),
  );
}

/** Takes false notes out. */
export function removeScope(): void {
  const notes = mostlyChosen('take out');
  if (!notes.length) return;
  correct(
    `Take out ${counted(notes.length, 'note')}`,
    [...byTake(notes)].map(([take, list]) => [take, c => removeNotes(c, list.map(own))]),
  );
}

/** A note where none was heard. */
export function addNoteAt(from: number, to: number): void {
  const at = takeAt(state(), (from + to) / 2);
  if (!at || to - from < 0.04) return;
  const span = { start: Math.max(0, at.place.toTake(from)), end: at.place.toTake(to) };
  const { reading } = editViewOf(state());
  const sung = reading && hearingsOf({ start: from, end: to }, reading).length;
  correct('Add a note', [[at.take, c => addNote(sung ? c : setKind(c, { ...span, kind: 'sung' }), span)]]);
}

/** Changes of a take's corrections from where they stand now: each step of the gesture replaces the one before. */
function grabbed(label: string, takeId: string): (correction: Correct) => void {
  const base = editTrackOf(state())?.takes.find(t => t.id === takeId);
  return correction => {
    if (base) change(label, changeFor(base, correction(of(base))), { held: true });
  };
}

/** Takes hold of a note's border; what it returns moves it to a moment of the song. */
export function grabBorder(key: string, side: 'start' | 'end'): ((to: number) => void) | null {
  const { notes } = editViewOf(state());
  const note = notes.find(n => n.key === key);
  if (!note) return null;
  const mine = notes.filter(n => n.takeId === note.takeId && n.place === note.place);
  const move = grabbed('Move a border', note.takeId);
  return to => move(c => moveBorder(c, mine.map(own), mine.indexOf(note), side, note.place.toTake(to)));
}

/** Takes hold of the border of an unpitched sound; what it leaves is nothing. */
export function grabNoise(noise: ReadNoise, side: 'start' | 'end'): ((to: number) => void) | null {
  const at = takeAt(state(), (noise.start + noise.end) / 2);
  if (!at) return null;
  const before = inTake(noise, at.place);
  const move = grabbed('Move a border', at.take.id);
  return to => {
    const after = { ...before };
    if (side === 'start') after.start = Math.max(0, Math.min(at.place.toTake(to), before.end - SHORTEST_NOISE));
    else after.end = Math.max(at.place.toTake(to), before.start + SHORTEST_NOISE);
    move(c => setKind(setKind(c, { ...before, kind: 'none' }), { ...after, kind: noise.kind }));
  };
}
const SHORTEST_NOISE = 0.02;

export type Cause = keyof Cuts;
export const CAUSES: Record<Cause, string> = {
  pitch: 'pitch change',
  dip: 'dip',
  consonant: 'consonant',
  swing: 'swing',
};

/** Where the notes in scope would be cut, by cause; song time. */
export function cutsOfScope(s: SessionState): Record<Cause, number[]> {
  const out: Record<Cause, number[]> = { pitch: [], dip: [], consonant: [], swing: [] };
  const { reading, notes } = editViewOf(s);
  const { kind, parts } = currentScope(s);
  if (!reading || (kind !== 'selection' && kind !== 'span')) return out;
  for (const n of notes) {
    const part = parts.find(p => p.key === n.key);
    if (!part) continue;
    const cuts = cutsIn(reading, n);
    for (const cause of Object.keys(out) as Cause[])
      out[cause].push(...cuts[cause].filter(t => t > part.start && t < part.end));
  }
  return out;
}

/** Cuts the notes in scope wherever a cause says so. */
export function cutByCause(cause: Cause): void {
  const all = cutsOfScope(state())[cause];
  const mine = new Set(editTrackOf(state())?.takes.map(t => t.id));
  correct(
    `Cut by ${CAUSES[cause]}`,
    [...byTake(chosenNotes('cut').filter(n => mine.has(n.takeId)))].map(([take, list]) => {
      const cutsOf = (n: TrackNote) => all.filter(t => t > n.start && t < n.end).map(t => n.place.toTake(t));
      const edits = list.reduce((sum, n) => editsOfParts(sum, n, cutsOf(n)), take.edits);
      return [take, c => list.reduce((sum, n) => splitNote(sum, own(n), cutsOf(n)), c), edits];
    }),
  );
}

// ---- pitch

/** How a stretch of the edited track can be heard. */
export const hearingsOf = (span: Span, reading: Reading): Hearing[] => hearings(reading, span);

/** Hears the notes in scope, or the parts a span holds of them, at a pitch; those of the edited track alone, for others sing elsewhere. */
export function hearScopeAt(midi: number): void {
  const notes = chosenNotes('hear otherwise').filter(n => editTrackOf(state())?.takes.some(t => t.id === n.takeId));
  const name = noteName(midi, scoreOf(state()).key.key);
  correct(
    `Hear ${counted(notes.length, 'note')} as ${name}`,
    [...byTake(notes)].map(([take, list]) => [
      take,
      c => list.reduce((sum, n) => hear(sum, { ...ownPart(n), midi }), c),
    ]),
  );
}

/** Hears each of the notes in scope the next likely way; after the last comes the first again. */
export function hearNextWay(): void {
  const changes = [...byTake(chosenNotes('hear otherwise'))].flatMap(([take, list]): Correction[] => {
    const reading = state().takes[take.id]?.reading;
    if (!reading) return [];
    const wishes = list.flatMap(n => {
      const ways = hearings(reading, ownPart(n));
      const next = ways[(ways.findIndex(h => h.now) + 1) % ways.length] as Hearing | undefined;
      return next && !next.now ? [{ ...ownPart(n), midi: next.midi }] : [];
    });
    return wishes.length ? [[take, c => wishes.reduce((sum, w) => hear(sum, w), c)]] : [];
  });
  if (changes.length) correct('Heard the next likely way', changes);
  else if (currentScope(state()).parts.length) toast('There is no other way to hear it.', { id: 'ways' });
}

/** Hears the notes in scope an octave higher or lower. */
export function octaveScope(by: 1 | -1): void {
  const notes = chosenNotes('move by an octave');
  correct(
    `Heard an octave ${by > 0 ? 'higher' : 'lower'}: ${counted(notes.length, 'note')}`,
    [...byTake(notes)].map(([take, list]) => [
      take,
      c => list.reduce((sum, n) => hear(sum, { ...ownPart(n), midi: heardAt(n) + 12 * by }), c),
    ]),
  );
}

/** Hears a run of notes as its neighbours lie. */
export function likeNeighboursScope(): void {
  const notes = mostlyChosen('hear like their neighbours');
  let changed = 0;
  const changes = [...byTake(notes)].flatMap(([take, list]): [Take, Correct][] => {
    const reading = state().takes[take.id]?.reading;
    if (!reading) return [];
    const indices = [...new Set(list.map(n => n.index))].sort((a, b) => a - b);
    const found = likeNeighbours(reading, indices);
    changed += found.length;
    return [
      [
        take,
        c =>
          found.reduce((sum, { index, midi }) => {
            const { start, end } = reading.notes[index];
            return hear(sum, { start, end, midi });
          }, c),
      ],
    ];
  });
  correct(`Like the neighbours: ${counted(changed, 'note')}`, changes);
  if (notes.length && !changed) toast('They already lie as their neighbours do.', { id: 'neighbours' });
}

// ---- kinds

export const KIND_NAMES: Record<StretchKind, string> = {
  sung: 'sung',
  spoken: 'spoken',
  sibilant: 'sibilant',
  plosive: 'plosive',
  breath: 'breath',
  none: 'nothing',
};

/** A stretch of the edited track, and of the group's, is of a kind. */
export function setSpanKind(span: Span, kind: StretchKind): void {
  const s = state();
  const changes = scopeByTrack(s).flatMap(({ track }): Correction[] => {
    const at = takeAt(s, (span.start + span.end) / 2, track);
    if (!at) return [];
    const { start, end } = inTake(span, at.place);
    const mine = { start: Math.max(0, start), end, kind };
    return [[at.take, c => setKind(c, mine)]];
  });
  correct(`${KIND_NAMES[kind]}: ${(span.end - span.start).toFixed(2)} s`, changes);
}

/** The chosen stretch is of a kind; or the chosen notes, each by itself: what lies between them stays as it is. */
export function setScopeKind(kind: StretchKind): void {
  const s = state();
  if (s.selection.span && s.selection.trackId === s.editTrackId) return setSpanKind(s.selection.span, kind);
  const notes = chosenNotes('change');
  correct(
    `${KIND_NAMES[kind]}: ${counted(notes.length, 'note')}`,
    [...byTake(notes)].map(([take, list]) => [
      take,
      c => list.reduce((sum, n) => setKind(sum, { ...own(n), kind }), c),
    ]),
  );
}

/** Takes every correction off the notes in scope. */
export function asReadScope(): void {
  correct(
    'As read',
    [...byTake(chosenNotes('read as before'))].map(([take, list]) => [
      take,
      c => list.reduce((sum, n) => asRead(sum, ownPart(n)), c),
    ]),
  );
}

// ---- doubts

/** A doubtful spot of the edited track, in song time. */
export interface ListedDoubt extends Doubt {
  id: string;
  takeId: string;
  /** Found right by the user. */
  looked: boolean;
}

let listed: { of: unknown[]; doubts: ListedDoubt[] } = { of: [], doubts: [] };
const found = new WeakMap<Reading, Doubt[]>();

/** Doubtful spots of the edited track's comp, in time order. Those put right are gone; those ticked off are marked. */
export function doubtsIn(s: SessionState): ListedDoubt[] {
  const track = editTrackOf(s);
  const song = songOf(s);
  if (!track || !song) return listed.doubts.length ? (listed = { of: [], doubts: [] }).doubts : listed.doubts;
  const of = [track, ...track.takes.map(t => s.takes[t.id]?.reading)];
  if (of.length === listed.of.length && of.every((v, i) => v === listed.of[i])) return listed.doubts;
  const doubts = placedClips(song, track).flatMap(clip => {
    const take = track.takes.find(t => t.id === clip.takeId);
    const reading = s.takes[clip.takeId]?.reading;
    if (!take || !reading) return [];
    if (!found.has(reading)) found.set(reading, doubtsOf(reading));
    const looked = new Set(take.corrections?.looked);
    // a spot somebody has put right is doubtful no more
    const heard = take.corrections?.heard ?? [];
    return found.get(reading)!.flatMap((d): ListedDoubt[] => {
      const middle = (d.start + d.end) / 2;
      const inSong = clip.place.toSong(middle);
      if (inSong < clip.from || inSong >= clip.to) return [];
      if ((d.reason === 'octave' || d.reason === 'weak') && heard.some(h => middle >= h.start && middle < h.end))
        return [];
      const id = `${d.reason} ${Math.round(d.start * 1000)}`;
      return [
        {
          ...d,
          id,
          takeId: take.id,
          looked: looked.has(id),
          start: clip.place.toSong(d.start),
          end: clip.place.toSong(d.end),
        },
      ];
    });
  });
  listed = { of, doubts: doubts.sort((a, b) => a.start - b.start) };
  return listed.doubts;
}

/** Ticks a doubt off, or opens it again. */
export function lookAt(doubt: ListedDoubt, looked: boolean): void {
  const track = editTrackOf(state());
  const take = track?.takes.find(t => t.id === doubt.takeId);
  if (!take) return;
  const before = take.corrections?.looked ?? [];
  const list = looked ? [...before, doubt.id] : before.filter(id => id !== doubt.id);
  const corrections = correctionsWith(take, { looked: list });
  change(looked ? 'Doubt ticked off' : 'Doubt open again', setTake(track!.id, take.id, { corrections }));
}

/** The moment a command by key means: the pointer's in the field, else the playhead's. */
let pointed: number | null = null;
/** Has what is said by key mean the moment under the pointer. @param p where it is over the field; null when it has left it */
export const pointAt = (p: { area: string; time: number } | null): void =>
  void (pointed = p?.area === 'field' ? p.time : null);
export const meantMoment = (): number => pointed ?? player()?.position ?? 0;
