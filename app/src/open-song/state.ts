import {
  alongside,
  emptyTrackView,
  heardTakeIds,
  isVocal,
  leadOf,
  nothing,
  placedClips,
  rankedKeysOf,
  Score,
  scopeOf,
  type BackingEstimate,
  type Clip,
  type History,
  type Key,
  type Samples,
  type KeyEstimate,
  type KeyInForce,
  type Scale,
  type Scope,
  type ScopePart,
  type Selection,
  type Song,
  type TakeView,
  type Target,
  type Track,
  type TrackView,
} from '@essim/core';
import { create } from 'zustand';
import { useShallow } from 'zustand/react/shallow';
import type { Viewport } from '../field/viewport';
import type { TakeClient } from '../jobs/take-client';
import type { Player } from '../player/player';
import type { TileMemory } from '../player/tiles';
import type { Listening } from './listening';

/** The song that is open: what is known of it, and the questions asked of that. Nothing here changes anything. */

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
  /** A gesture not yet let go: the song as it would be. Seen and heard, not stored. */
  draft: { label: string; song: Song } | null;
  /** Whether another tab is writing this song: here it is only looked at and listened to. */
  elsewhere: boolean;
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
  audition: Audition | null;
  /** Tracks heard while recording, instead of what Hear says; null when not recording. */
  cue: string[] | null;
  hear: Hear;
  /** What each way of hearing sounds like. */
  listening: Listening;
  /** Whether the reading sounds as a tone beside the voice or alone. */
  ear: 'off' | 'beside' | 'alone';
  /** Whether the melody guide of the edited track is played along. */
  guideHeard: boolean;
  edited: boolean;
  looping: boolean;
  /** The stretch that is looped instead of the phrase; null: none was dragged. */
  loopRange: { from: number; to: number } | null;
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
  draft: null,
  elsewhere: false,
  takes: {},
  views: {},
  backing: null,
  duration: 60,
  editTrackId: '',
  viewedTrackIds: [],
  grouped: false,
  selection: nothing,
  audition: null,
  cue: null,
  ear: 'off',
  guideHeard: false,
  listening: { alone: noMix, backing: noMix, lead: noMix, whole: noMix },
  looping: false,
  loopRange: null,
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

/**
 * The state as it is shown beside the field. While something in the field is held it follows so many times a second only: the field is
 * what is looked at then, and is drawn at every frame.
 */
export const useBeside = create<SessionState>(() => useSession.getState());
const FOLLOWS_MS = 200;
let held = false;
let waiting: ReturnType<typeof setTimeout> | null = null;
useSession.subscribe(() => {
  if (!held) follow();
  else waiting ??= setTimeout(follow, FOLLOWS_MS);
});
function follow(): void {
  if (waiting !== null) clearTimeout(waiting);
  waiting = null;
  useBeside.setState(useSession.getState(), true);
}

/** Says whether something in the field is held. */
export function holdField(on: boolean): void {
  if (held === on) return;
  held = on;
  if (!on) follow();
}

/** Whether something in the field is held. */
export const isFieldHeld = (): boolean => held;

/** The state beside the field, for a component that is drawn again only when one of these parts changes: what it shows must come from them. */
export function useParts(...parts: (keyof SessionState)[]): SessionState {
  useBeside(useShallow(s => parts.map(p => s[p])));
  return useBeside.getState();
}

/** A take's samples as they play. */
export interface Sound {
  sung: Samples[];
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
  /** Melodies as they are played along, and what of it that is. */
  melodies: Map<string, { of: unknown; sound: Float32Array }>;
}
let open: OpenSong | null = null;
export const opened = (): OpenSong | null => open;
export const setOpened = (song: OpenSong | null): void => void (open = song);

export const player = (): Player | null => open?.player ?? null;
export const clientOf = (takeId: string): TakeClient | undefined => open?.clients.get(takeId);

/** The song as it is shown and heard: with the draft, while a gesture goes on. */
export const songOf = (s: SessionState): Song | null => s.draft?.song ?? s.history?.song ?? null;
export const trackOf = (s: SessionState, id: string): Track | undefined => songOf(s)?.tracks.find(t => t.id === id);
export const editTrackOf = (s: SessionState): Track | undefined => trackOf(s, s.editTrackId);
export const viewOf = (s: SessionState, trackId: string): TrackView => s.views[trackId] ?? emptyTrackView;
export const editViewOf = (s: SessionState): TrackView => viewOf(s, s.editTrackId);
export { isVocal, leadOf } from '@essim/core';

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
  const song = songOf(s);
  if (!take) return song ? placedClips(song, track) : [];
  return [{ takeId: take.id, from: 0, to: Infinity, shift: take.offsetSeconds, fadeIn: 0, fadeOut: 0, levelDb: 0 }];
}

let ranked: { of: unknown[]; keys: KeyEstimate[] } = { of: [], keys: [] };
/** Keys ranked from the lead's notes and the backing together. */
export function rankedKeys(s: SessionState): KeyEstimate[] {
  const song = songOf(s);
  const lead = song && leadOf(song);
  const notes = (lead && viewOf(s, lead.id).reading?.notes) ?? editViewOf(s).reading?.notes ?? null;
  const of = [notes, s.backing];
  if (!of.every((v, i) => v === ranked.of[i])) ranked = { of, keys: rankedKeysOf(notes, s.backing) };
  return ranked.keys;
}

const noSong: Song = Object.freeze(
  Object.assign(Object.create(null) as Song, {
    tracks: [],
    key: null,
    keyChanges: [],
    tempo: null,
    chords: [],
    kept: [],
    referenceHz: 440,
    sampleRate: 48000,
  }),
);
let scored: { of: unknown[]; score: Score } | null = null;
/** The song as it is seen and heard now; the same object while nothing of it changed. */
export function scoreOf(s: SessionState): Score {
  const song = songOf(s) ?? noSong;
  const of = [song, s.takes, s.views, s.backing, song.key ? null : rankedKeys(s)];
  if (!scored || !of.every((v, i) => v === scored!.of[i]))
    scored = { of, score: new Score(song, s.takes, s.backing, s.views, song.key ? [] : rankedKeys(s)) };
  return scored.score;
}

/** The song's first key: chosen, or estimated. */
export const keyOf = (s: SessionState): KeyInForce => scoreOf(s).key;
/** The key in force at a moment. */
export const keyAt = (s: SessionState, seconds: number): Key | null => scoreOf(s).keyAt(seconds);
/** The steps allowed at each moment of the song. */
export const scaleAtOf = (s: SessionState): ((seconds: number) => Scale) => scoreOf(s).scaleAt;

/** What a command acts on now, on the edited track. */
export function currentScope(s: SessionState): Scope {
  const view = editViewOf(s);
  return scopeOf(s.selection, s.editTrackId, view.syllables, view.phrases, player()?.position ?? 0);
}

/** Tracks that take the edited track's commands too. */
export const groupOf = (s: SessionState): Track[] =>
  s.grouped
    ? s.viewedTrackIds.flatMap(id => trackOf(s, id) ?? []).filter(t => isVocal(t) && t.id !== s.editTrackId)
    : [];

/** What a command acts on now, track by track: the edited one first, then the rest of the group alongside it. */
export const scopeByTrack = (s: SessionState): { track: Track; parts: ScopePart[] }[] =>
  alongTracks(s, currentScope(s).parts);

/**
 * What a command acts on now. Pinned notes are safe from it unless somebody pointed at the notes themselves.
 * @param parts of the edited track, where it is not the scope
 */
export function targetOf(s: SessionState, parts?: readonly ScopePart[]): Target {
  const { selection, editTrackId } = s;
  const chosen = selection.trackId === editTrackId;
  const { kind } = currentScope(s);
  return {
    tracks: parts ? alongTracks(s, parts) : scopeByTrack(s),
    span: chosen ? selection.span : null,
    broad: !parts && kind !== 'selection',
  };
}

/** Parts of the edited track's notes, and what lies alongside them on the other tracks of the group. */
function alongTracks(s: SessionState, parts: readonly ScopePart[]): { track: Track; parts: ScopePart[] }[] {
  const track = editTrackOf(s);
  if (!track) return [];
  return [
    { track, parts: [...parts] },
    ...groupOf(s).map(other => ({ track: other, parts: alongside(parts, viewOf(s, other.id).syllables) })),
  ];
}
