import {
  dbToGain,
  findPhrases,
  heardTake,
  History,
  nothing,
  phraseAt,
  scaleOfKey,
  scopeOf,
  semitones,
  type Command,
  type Key,
  type NoteEdit,
  type NoteFacts,
  type Phrase,
  type Reading,
  type Scale,
  type Scope,
  type Selection,
  type Song,
  type Take,
  type Track,
} from '@essim/core';
import { toast } from 'sonner';
import { create } from 'zustand';
import { TakeClient } from '../jobs/take-client';
import type { PlannedTake } from '../jobs/take.worker';
import type { MixerTrack } from '../player/mixer';
import { Player, shared } from '../player/player';
import { wholeSong, type Viewport } from '../field/viewport';
import { loadHistory, saveChange } from './songs';
import { recording } from './demo';
import { cachedReading, cacheReading } from './sources';

export type Hear = 'alone' | 'backing' | 'whole';

/** A take as the desks see it. */
export interface TakeView {
  status: 'waiting' | 'reading' | 'ready' | 'failed' | 'stopped';
  /** Share of the reading done, 0..1. */
  progress: number;
  error?: string;
  reading?: Reading;
  notes: NoteFacts[];
  phrases: Phrase[];
  /** MIDI per 5 ms frame, NaN where nothing is sung. */
  sungLine: Float32Array;
  line: Float32Array;
}

export interface SessionState {
  history: History | null;
  /** Why the song could not be opened. */
  failure: string | null;
  saved: 'saved' | 'saving' | 'failed';
  takes: Record<string, TakeView>;
  /** Length of the longest recording, song seconds. */
  duration: number;
  editTrackId: string;
  viewedTrackIds: string[];
  selection: Selection;
  /** Edits shown and heard while a drag or fader goes on, not yet a command. */
  preview: Record<string, NoteEdit> | null;
  hear: Hear;
  edited: boolean;
  looping: boolean;
  playing: boolean;
  /** Index of the phrase under the playhead, -1 between phrases; follows the playhead. */
  phraseAt: number;
  view: Viewport;
  viewBefore: Viewport[];
}

const emptyView: TakeView = {
  status: 'waiting',
  progress: 0,
  notes: [],
  phrases: [],
  sungLine: new Float32Array(0),
  line: new Float32Array(0),
};

export const useSession = create<SessionState>(() => ({
  history: null,
  failure: null,
  saved: 'saved',
  takes: {},
  duration: 60,
  editTrackId: '',
  viewedTrackIds: [],
  selection: nothing,
  preview: null,
  hear: 'backing',
  edited: true,
  looping: false,
  playing: false,
  phraseAt: -1,
  view: { from: 0, to: 60, low: 48, high: 72 },
  viewBefore: [],
}));

const get = useSession.getState;
const set = useSession.setState;

/** What a song that is open holds besides its state: workers and sound. */
interface OpenSong {
  id: string;
  player: Player;
  clients: Map<string, TakeClient>;
}
let open: OpenSong | null = null;
/** Counts openings, so that one overtaken by another stops by itself. */
let opening = 0;
/** Counts loadings of the tracks, for the same reason. */
let loading = 0;
/** Writes to the database, one after the other. */
let writing: Promise<void> = Promise.resolve();

export const player = (): Player | null => open?.player ?? null;
export const clientOf = (takeId: string): TakeClient | undefined => open?.clients.get(takeId);

// ---- reading the state

export const songOf = (s: SessionState): Song | null => s.history?.song ?? null;
export const editTrackOf = (s: SessionState): Track | undefined =>
  s.history?.song.tracks.find(t => t.id === s.editTrackId);
export const editTakeOf = (s: SessionState): Take | undefined => {
  const track = editTrackOf(s);
  return track && heardTake(track);
};
export const editViewOf = (s: SessionState): TakeView => s.takes[editTakeOf(s)?.id ?? ''] ?? emptyView;

/** The song's key: chosen, or the edited take's estimate. */
export function keyOf(s: SessionState): { key: Key | null; chosen: boolean; confidence: number } {
  const chosen = s.history?.song.key;
  if (chosen) return { key: chosen, chosen: true, confidence: 1 };
  const lead = s.history?.song.tracks.find(t => t.role === 'lead');
  const best = s.takes[(lead && heardTake(lead)?.id) ?? '']?.reading?.keys[0] ?? editViewOf(s).reading?.keys[0];
  return best
    ? { key: { tonic: best.tonic, mode: best.mode }, chosen: false, confidence: best.confidence }
    : { key: null, chosen: false, confidence: 0 };
}

export function scaleOf(s: SessionState): Scale {
  const { key } = keyOf(s);
  return key ? scaleOfKey(key) : semitones();
}

/** The notes a command acts on now. */
export function currentScope(s: SessionState): Scope {
  const view = editViewOf(s);
  const offset = editTakeOf(s)?.offsetSeconds ?? 0;
  return scopeOf(s.selection, s.editTrackId, view.notes, view.phrases, (player()?.position ?? 0) - offset);
}

/** Edits as they stand, a running gesture included. */
export const editsOf = (s: SessionState): Readonly<Record<string, NoteEdit>> => {
  const edits = editTakeOf(s)?.edits ?? {};
  return s.preview ? { ...edits, ...s.preview } : edits;
};

// ---- opening and closing

export async function openSong(id: string): Promise<void> {
  if (open?.id === id) return;
  closeSong();
  const mine = ++opening;
  try {
    await writing;
    const history = await loadHistory(id);
    if (mine !== opening) return;
    const { song } = history;
    open = { id, player: new Player(song.sampleRate), clients: new Map() };
    const lead =
      song.tracks.find(t => t.role === 'lead') ?? song.tracks.find(t => t.role !== 'backing') ?? song.tracks[0];
    set({
      history,
      failure: null,
      saved: 'saved',
      takes: {},
      editTrackId: lead?.id ?? '',
      viewedTrackIds: [],
      selection: nothing,
      preview: null,
      playing: false,
      looping: false,
      viewBefore: [],
    });
    await loadTracks(id, song);
  } catch (error) {
    set({ history: null, failure: error instanceof Error ? error.message : String(error) });
  }
}

export function closeSong(): void {
  opening++;
  open?.player.stop();
  open?.player.close();
  open?.clients.forEach(c => c.close());
  open = null;
  set({ history: null, failure: null, takes: {}, playing: false });
}

/** Loads every heard take into the player, the edited one first; vocals are read one after the other as they come. */
async function loadTracks(id: string, song: Song, first = true): Promise<void> {
  const mine = ++loading;
  const { editTrackId } = get();
  const order = [...song.tracks].sort(
    (a, b) =>
      Number(b.id === editTrackId) - Number(a.id === editTrackId) ||
      Number(b.role === 'backing') - Number(a.role === 'backing'),
  );
  const lines: MixerTrack[] = [];
  let reading: Promise<void> = Promise.resolve();
  let duration = 1;
  open?.player.compare(get().edited);
  for (const track of order) {
    const take = heardTake(track);
    if (!take) continue;
    const source = await recording(id, take.sourceId);
    if (open?.id !== id || mine !== loading) return;
    const sung = source.channels.map(shared);
    const edited = track.role === 'backing' ? sung : source.channels.map(shared);
    lines.push({ id: track.id, sung, edited, offset: Math.round(take.offsetSeconds * song.sampleRate) });
    open.player.setTracks(lines);
    applyGains();
    const end = take.offsetSeconds + sung[0].length / song.sampleRate;
    if (end > duration) {
      duration = end;
      set(s => ({
        duration,
        view: !first || s.viewBefore.length || editViewOf(s).status === 'ready' ? s.view : wholeSong(end, s.view),
      }));
    }
    if (track.role === 'backing') continue;
    setView(take.id, { status: 'reading', progress: 0 });
    reading = reading.then(async () => {
      if (open?.id === id && mine === loading) await readVocal(take, track.id, sung, song.sampleRate, first);
    });
  }
  await reading;
}

const setView = (takeId: string, change: Partial<TakeView>) =>
  set(s => ({ takes: { ...s.takes, [takeId]: { ...(s.takes[takeId] ?? emptyView), ...change } } }));

async function readVocal(
  take: Take,
  trackId: string,
  channels: Float32Array[],
  sampleRate: number,
  first = false,
): Promise<void> {
  const client = new TakeClient();
  open?.clients.set(take.id, client);
  try {
    await client.open(channels, sampleRate);
    let reading = await cachedReading(take.sourceId, take.range);
    if (!reading) {
      setView(take.id, { status: 'reading', progress: 0 });
      reading = await client.read(take.range, progress => setView(take.id, { progress }));
      void cacheReading(take.sourceId, take.range, reading);
    }
    const { notes, sungLine } = await client.prepare(reading);
    setView(take.id, {
      status: 'ready',
      progress: 1,
      reading,
      notes,
      sungLine,
      line: sungLine,
      phrases: findPhrases(notes),
    });
    if (first && trackId === get().editTrackId) zoomToFirstPhrase();
    replan(take.id, trackId);
  } catch (error) {
    const message = error instanceof Error ? error.message : String(error);
    const stopped = error instanceof Error && error.name === 'Stopped';
    if (open?.clients.get(take.id) !== client) return;
    setView(take.id, stopped ? { status: 'stopped' } : { status: 'failed', error: message });
    if (!stopped) toast.error(`${take.name} could not be read: ${message}.`);
  }
}

/** Reads a stopped take after all. */
export async function readAgain(takeId: string): Promise<void> {
  const song = songOf(get());
  const track = song?.tracks.find(t => t.takes.some(k => k.id === takeId));
  const take = track?.takes.find(t => t.id === takeId);
  if (!song || !track || !take) return;
  open?.clients.get(takeId)?.close();
  const source = await recording(song.id, take.sourceId);
  await readVocal(take, track.id, source.channels.map(shared), song.sampleRate);
}

function zoomToFirstPhrase(): void {
  const s = get();
  const view = editViewOf(s);
  const offset = editTakeOf(s)?.offsetSeconds ?? 0;
  const first = view.phrases[0];
  if (!first) return;
  set({
    view: {
      ...fitPitch(s, first.start, first.end),
      from: Math.max(0, first.start + offset - 0.6),
      to: first.end + offset + 0.6,
    },
  });
}

/** Pitch bounds that hold what is sung in a span (source time), at least an octave and a fifth. */
export function fitPitch(s: SessionState, from: number, to: number): Pick<Viewport, 'low' | 'high'> {
  const notes = editViewOf(s).notes.filter(n => n.end > from && n.start < to);
  if (!notes.length) return { low: s.view.low, high: s.view.high };
  const pitches = notes.map(n => n.sung);
  const low = Math.min(...pitches) - 3;
  const high = Math.max(...pitches) + 3;
  const missing = Math.max(0, 17 - (high - low)) / 2;
  return { low: Math.floor(low - missing), high: Math.ceil(high + missing) };
}

// ---- sound follows the document

/** Plans and renders the take again after its edits changed. */
function replan(takeId: string, trackId: string): void {
  const s = get();
  const take = songOf(s)
    ?.tracks.find(t => t.id === trackId)
    ?.takes.find(t => t.id === takeId);
  const client = open?.clients.get(takeId);
  if (!take || !client || s.takes[takeId]?.status !== 'ready') return;
  const edits = s.preview && takeId === editTakeOf(s)?.id ? { ...take.edits, ...s.preview } : take.edits;
  client.plan(edits, (planned: PlannedTake) => {
    for (const p of planned.patches) open?.player.patch(trackId, p.from, p.channels);
    setView(takeId, { line: planned.line });
  });
}

/** Sends every track's level for the present Hear, mute and solo. */
export function applyGains(): void {
  const s = get();
  const song = songOf(s);
  if (!song || !open) return;
  const soloed = song.tracks.some(t => t.solo);
  const gains: Record<string, [number, number]> = {};
  for (const t of song.tracks) {
    const wanted = t.id === s.editTrackId || s.hear === 'whole' || (s.hear === 'backing' && t.role === 'backing');
    const heard = wanted && !t.mute && (!soloed || t.solo);
    const gain = heard ? dbToGain(t.levelDb) : 0;
    const angle = ((t.pan + 1) * Math.PI) / 4;
    gains[t.id] = [gain * Math.SQRT2 * Math.cos(angle), gain * Math.SQRT2 * Math.sin(angle)];
  }
  open.player.setGains(gains);
}

// ---- changing the document

function adopt(next: { history: History; change: Parameters<typeof saveChange>[1] }): void {
  const before = songOf(get());
  set({ history: next.history, saved: 'saving', preview: null });
  const { song } = next.history;
  writing = writing
    .then(() => saveChange(song, next.change))
    .then(() => {
      if (songOf(get()) === song) set({ saved: 'saved' });
    })
    .catch((error: unknown) => {
      set({ saved: 'failed' });
      toast.error(
        `The last change could not be saved: ${error instanceof Error ? error.message : String(error)}. Export your work before closing.`,
      );
    });
  for (const track of song.tracks) {
    const take = heardTake(track);
    const old = before?.tracks.find(t => t.id === track.id);
    if (take && old && heardTake(old)?.edits !== take.edits) replan(take.id, track.id);
  }
  const heard = (s: Song | null) => s?.tracks.map(t => t.takeId).join();
  if (heard(before) !== heard(song)) void reload();
  else if (before?.tracks !== song.tracks) applyGains();
}

/** Loads the song's sound again after another take was chosen; the view stays where it was. */
async function reload(): Promise<void> {
  const song = songOf(get());
  if (!open || !song) return;
  open.player.stop();
  open.clients.forEach(c => c.close());
  open.clients.clear();
  set({ takes: {}, selection: nothing, preview: null, playing: false });
  try {
    await loadTracks(open.id, song, false);
  } catch (error) {
    toast.error(`The take could not be loaded: ${error instanceof Error ? error.message : String(error)}`);
  }
}

export function run(command: Command): void {
  const { history } = get();
  if (history) adopt(history.do(command));
}

export function undo(): void {
  const step = get().history?.undo();
  if (!step) return;
  adopt(step);
  toast(`Undone: ${step.label}`, { id: 'history', duration: 1500 });
}

export function redo(): void {
  const step = get().history?.redo();
  if (!step) return;
  adopt(step);
  toast(`Done again: ${step.label}`, { id: 'history', duration: 1500 });
}

/** Shows and sounds edits without making them a command; null goes back. */
export function preview(edits: Record<string, NoteEdit> | null): void {
  const s = get();
  const take = editTakeOf(s);
  if (!take || (!edits && !s.preview)) return;
  set({ preview: edits });
  replan(take.id, s.editTrackId);
}

// ---- playing

export async function togglePlay(): Promise<void> {
  const p = player();
  if (!p) return;
  if (p.playing) {
    p.stop();
    set({ playing: false });
    return;
  }
  const span = get().looping ? loopSpan(get()) : null;
  p.loop(span);
  set({ playing: true });
  await p.play(span && (p.position < span.from || p.position >= span.to) ? span.from : p.position);
}

export function seek(seconds: number): void {
  player()?.seek(Math.max(0, Math.min(get().duration, seconds)));
  followPhrase();
}

/** Notes in which phrase the playhead is, for what acts on that phrase. Called as the playhead moves. */
export function followPhrase(): void {
  const s = get();
  const at = phraseAt(editViewOf(s).phrases, (player()?.position ?? 0) - (editTakeOf(s)?.offsetSeconds ?? 0));
  if (at !== s.phraseAt) set({ phraseAt: at });
}

/** The phrase a loop goes round: of the selection, else at the playhead, else in view. Song time. */
export function loopSpan(s: SessionState): { from: number; to: number } | null {
  const offset = editTakeOf(s)?.offsetSeconds ?? 0;
  const view = editViewOf(s);
  const chosen = view.notes.filter(n => s.selection.trackId === s.editTrackId && s.selection.notes.has(n.key));
  const at = chosen.length ? chosen[0].start : (player()?.position ?? 0) - offset;
  const middle = (s.view.from + s.view.to) / 2 - offset;
  const phrase =
    view.phrases.find(p => at >= p.start - 0.5 && at < p.end + 0.3) ??
    view.phrases.find(p => p.end > middle) ??
    view.phrases[0];
  return phrase
    ? { from: Math.max(0, phrase.start + offset - 0.35), to: Math.min(s.duration, phrase.end + offset + 0.35) }
    : null;
}

export function toggleLoop(): void {
  const looping = !get().looping;
  set({ looping });
  player()?.loop(looping ? loopSpan(get()) : null);
}

export function setHear(hear: Hear): void {
  set({ hear });
  applyGains();
}

export function setEdited(edited: boolean): void {
  set({ edited });
  player()?.compare(edited);
}

// ---- looking

export function look(view: Viewport, remember = false): void {
  set(s => ({ view, viewBefore: remember ? [...s.viewBefore.slice(-20), s.view] : s.viewBefore }));
}

export function lookBack(): void {
  const { viewBefore } = get();
  const view = viewBefore[viewBefore.length - 1];
  if (view) set({ view, viewBefore: viewBefore.slice(0, -1) });
}

export const choose = (selection: Selection): void => set({ selection });

export function editTrack(trackId: string): void {
  set(s => ({ editTrackId: trackId, selection: nothing, viewedTrackIds: s.viewedTrackIds.filter(t => t !== trackId) }));
  applyGains();
}

export function toggleViewed(trackId: string): void {
  set(s => ({
    viewedTrackIds: s.viewedTrackIds.includes(trackId)
      ? s.viewedTrackIds.filter(t => t !== trackId)
      : [...s.viewedTrackIds, trackId],
  }));
}
