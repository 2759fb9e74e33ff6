import {
  alongside,
  BarGrid,
  estimateKey,
  heardTakeIds,
  nothing,
  scaleOfKey,
  scopeOf,
  semitones,
  type BackingEstimate,
  type Clip,
  type History,
  type Key,
  type KeyEstimate,
  type NoteEdit,
  type Scale,
  type Scope,
  type ScopePart,
  type Selection,
  type Song,
  type Track,
} from '@essim/core';
import { create } from 'zustand';
import { useShallow } from 'zustand/react/shallow';
import type { Viewport } from '../field/viewport';
import type { TakeClient } from '../jobs/take-client';
import type { TileMemory } from '../player/tiles';
import type { Player } from '../player/player';
import type { Listening } from './listening';
import { placedClips } from './placing';
import { editsByTake, emptyTrackView, type TakeView, type TrackView } from './track-view';

export type Hear = 'alone' | 'backing' | 'lead' | 'whole';

/** A take heard out of the comp, to judge it. */
export interface Audition {
  trackId: string;
  takeId: string;
  from: number;
  to: number;
}

export interface SessionState {
  history: History | null;
  /** Why the song could not be opened. */
  failure: string | null;
  saved: 'saved' | 'saving' | 'failed';
  /** By take. */
  takes: Record<string, TakeView>;
  /** By track: its comp's takes joined. */
  views: Record<string, TrackView>;
  /** What the backing tells; null while it is not analysed or there is none. */
  backing: BackingEstimate | null;
  /** Length of the longest recording, song seconds. */
  duration: number;
  editTrackId: string;
  viewedTrackIds: string[];
  /** Whether the viewed tracks take the edited track's commands too. */
  grouped: boolean;
  selection: Selection;
  /** Edits shown and heard while a drag or fader goes on, by the note's key in the track; not yet a command. */
  preview: Record<string, NoteEdit> | null;
  audition: Audition | null;
  /** Tracks heard while recording, instead of what Hear says; null when not recording. */
  cue: string[] | null;
  hear: Hear;
  /** What each way of hearing sounds like. */
  listening: Listening;
  /** Whether the reading sounds as a tone beside the voice or alone. */
  ear: 'off' | 'beside' | 'alone';
  edited: boolean;
  looping: boolean;
  playing: boolean;
  clicking: boolean;
  /** Whether a bar is counted before playing begins. */
  countIn: boolean;
  /** Index of the phrase under the playhead, -1 between phrases; follows the playhead. */
  phraseAt: number;
  /** The phrase last gone to by list or key; a new object each time. */
  goneTo: { phrase: number } | null;
  view: Viewport;
  viewBefore: Viewport[];
}

const noMix = { levels: {}, heard: {} };

/** What a song begins with when it is opened, and what is left when it is closed. */
export const freshSong = {
  failure: null,
  saved: 'saved',
  takes: {},
  views: {},
  backing: null,
  duration: 60,
  editTrackId: '',
  viewedTrackIds: [],
  grouped: false,
  selection: nothing,
  preview: null,
  audition: null,
  cue: null,
  ear: 'off',
  listening: { alone: noMix, backing: noMix, lead: noMix, whole: noMix },
  looping: false,
  playing: false,
  phraseAt: -1,
  goneTo: null,
  viewBefore: [],
} satisfies Partial<SessionState>;

export const useSession = create<SessionState>(() => ({
  ...freshSong,
  history: null,
  hear: 'backing',
  countIn: false,
  edited: true,
  clicking: false,
  view: { from: 0, to: 60, low: 48, high: 72 },
}));

/** The state, for a component that is drawn again only when one of these parts changes: what it shows must come from them. */
export function useParts(...parts: (keyof SessionState)[]): SessionState {
  useSession(useShallow(s => parts.map(p => s[p])));
  return useSession.getState();
}

/** A take's samples as they play. */
export interface Sound {
  sung: Float32Array[];
  /** What the edits make of it, rendered ahead; absent while there are none. */
  tiles?: TileMemory;
  linked: boolean;
}

/** What a song that is open holds besides its state: workers and sound. */
export interface OpenSong {
  id: string;
  player: Player;
  clients: Map<string, TakeClient>;
  sounds: Map<string, Sound>;
  /** The readings as tones, by take, while they are listened to. */
  tones: Map<string, Float32Array[]>;
}
let open: OpenSong | null = null;
export const opened = (): OpenSong | null => open;
export const setOpened = (song: OpenSong | null): void => void (open = song);

export const player = (): Player | null => open?.player ?? null;
export const clientOf = (takeId: string): TakeClient | undefined => open?.clients.get(takeId);

export const songOf = (s: SessionState): Song | null => s.history?.song ?? null;
export const trackOf = (s: SessionState, id: string): Track | undefined => songOf(s)?.tracks.find(t => t.id === id);
export const editTrackOf = (s: SessionState): Track | undefined => trackOf(s, s.editTrackId);
export const viewOf = (s: SessionState, trackId: string): TrackView => s.views[trackId] ?? emptyTrackView;
export const editViewOf = (s: SessionState): TrackView => viewOf(s, s.editTrackId);

/** A vocal is read and edited; a backing is only heard. */
export const isVocal = (track: Track): boolean => track.role !== 'backing';

/** Takes of a track that sound now: those of its comp, and the one that is auditioned. */
export function soundingTakes(s: SessionState, track: Track): Set<string> {
  const ids = heardTakeIds(track);
  if (s.audition?.trackId === track.id) ids.add(s.audition.takeId);
  return ids;
}

/** What plays of a track now, where it is heard: its comp, or the auditioned take alone. */
export function playedClips(s: SessionState, track: Track): Clip[] {
  const a = s.audition;
  const take = a?.trackId === track.id && track.takes.find(t => t.id === a.takeId);
  if (!take) return placedClips(track);
  return [{ takeId: take.id, from: 0, to: Infinity, shift: take.offsetSeconds, fadeIn: 0, fadeOut: 0, levelDb: 0 }];
}

/** The first lead, or the first vocal. */
export const leadOf = (song: Song): Track | undefined =>
  song.tracks.find(t => t.role === 'lead') ?? song.tracks.find(isVocal);

let ranked: { notes: unknown; backing: unknown; keys: KeyEstimate[] } | null = null;
/** Keys ranked from the lead's notes and the backing together. */
export function rankedKeys(s: SessionState): KeyEstimate[] {
  const song = songOf(s);
  const lead = song && leadOf(song);
  const notes = (lead && viewOf(s, lead.id).reading?.notes) ?? editViewOf(s).reading?.notes ?? null;
  if (ranked?.notes !== notes || ranked?.backing !== s.backing)
    ranked = {
      notes,
      backing: s.backing,
      keys: notes?.length || s.backing ? estimateKey(notes ?? [], s.backing) : [],
    };
  return ranked.keys;
}

/** The song's first key: chosen, or estimated. */
export function keyOf(s: SessionState): { key: Key | null; chosen: boolean; confidence: number } {
  const chosen = songOf(s)?.key;
  if (chosen) return { key: chosen, chosen: true, confidence: 1 };
  const best = rankedKeys(s)[0];
  return best
    ? { key: { tonic: best.tonic, mode: best.mode }, chosen: false, confidence: best.confidence }
    : { key: null, chosen: false, confidence: 0 };
}

/** How far the song's reference pitch lies from 440 Hz, cents. */
export const referenceCents = (s: SessionState): number => 1200 * Math.log2((songOf(s)?.referenceHz ?? 440) / 440);

/** Keys with where they begin, song s. */
export function keySpans(s: SessionState): { from: number; key: Key | null }[] {
  const song = songOf(s);
  const first = { from: -Infinity, key: keyOf(s).key };
  if (!song?.tempo || !song.keyChanges.length) return [first];
  const grid = new BarGrid(song.tempo);
  return [
    first,
    ...[...song.keyChanges]
      .sort((a, b) => a.bar - b.bar)
      .map(c => ({ from: grid.secondsOfBar(c.bar), key: { tonic: c.tonic, mode: c.mode } })),
  ];
}

/** The steps allowed at each moment of the song. */
export function scaleAtOf(s: SessionState): (seconds: number) => Scale {
  const cents = referenceCents(s);
  const spans = keySpans(s).map(({ from, key }) => ({
    from: from - 0.05,
    scale: key ? scaleOfKey(key, cents) : semitones(cents),
  }));
  return t => (spans.findLast(q => q.from <= t) ?? spans[0]).scale;
}

/** The key in force at a moment. */
export const keyAt = (s: SessionState, seconds: number): Key | null => {
  const spans = keySpans(s);
  return (spans.findLast(q => q.from - 0.05 <= seconds) ?? spans[0]).key;
};

/** Edits of the edited track as they stand, a running gesture included; by the note's key in the track. */
export const editsOf = (s: SessionState): Readonly<Record<string, NoteEdit>> => {
  const { edits } = editViewOf(s);
  return s.preview ? { ...edits, ...s.preview } : edits;
};

/** The take a note of the edited track is of, with the note's span and other edits in that take's own time. */
export function editTakeAt(s: SessionState, key: string) {
  const { notes } = editViewOf(s);
  const note = notes.find(n => n.key === key);
  const take = note && editTrackOf(s)?.takes.find(t => t.id === note.takeId);
  if (!take) return null;
  return {
    take,
    start: note.place.toTake(note.start),
    end: note.place.toTake(note.end),
    edits: (all: Readonly<Record<string, NoteEdit>>) =>
      (editsByTake(notes, all).get(take.id) ?? {}) as Record<string, NoteEdit>,
  };
}

/** What a command acts on now, on the edited track. */
export function currentScope(s: SessionState): Scope {
  const view = editViewOf(s);
  return scopeOf(s.selection, s.editTrackId, view.notes, view.phrases, player()?.position ?? 0);
}

/** Tracks that take the edited track's commands too. */
export const groupOf = (s: SessionState): Track[] =>
  s.grouped
    ? s.viewedTrackIds.flatMap(id => trackOf(s, id) ?? []).filter(t => isVocal(t) && t.id !== s.editTrackId)
    : [];

/** What a command acts on now, track by track: the edited one first, then the rest of the group alongside it. */
export function scopeByTrack(s: SessionState): { track: Track; parts: ScopePart[] }[] {
  const track = editTrackOf(s);
  if (!track) return [];
  const { parts } = currentScope(s);
  return [
    { track, parts },
    ...groupOf(s).map(other => ({ track: other, parts: alongside(parts, viewOf(s, other.id).notes) })),
  ];
}
