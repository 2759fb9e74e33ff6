import { isVocal, lengthOf, placedClips, unreadTake, type Take, type Track } from '@essim/core';
import { toast } from 'sonner';
import { soundAhead } from '../jobs/ahead';
import { withFiles } from '../jobs/files-client';
import { analyseInWorker } from '../jobs/setup-client';
import { reachTo } from './framing';
import { forgetPlans } from './planning';
import { askAhead, closeReader, forgetAsked, readHeard, readUnheard, showKept } from './reading';
import { syncPlayer } from './sounding';
import { opened, songOf, soundingTakes, useSession } from './state';
import { setTake } from './views';

/**
 * Loads what is missing: recordings that are heard, a reading of every vocal take, a worker for each that is heard, what the backing
 * tells. One thing after the other, the most urgent first; it looks again after each, so that it does not matter what changed the song.
 */

const get = useSession.getState;
const set = useSession.setState;
const stillOpen = (id: string) => opened()?.id === id;

/** What a take's sound and reading were made from; a take whose stamp changed is loaded anew. */
const stampOf = (take: Take) => `${take.sourceId} ${take.channels} ${take.range}`;
const stamps = new Map<string, string>();
/** Takes of which it is known whether a reading of them is kept. */
const looked = new Set<string>();
let backingStamp = '';
let busy = false;
let again = false;

export function forgetAll(): void {
  stamps.clear();
  looked.clear();
  closeReader();
  forgetAsked();
  forgetPlans();
  mishaps = 0;
  backingStamp = '';
}

/** So many readings are fetched ahead of being shown. */
const ASKED_AT_ONCE = 4;
type Job = () => Promise<void>;
/** After this many unforeseen errors nothing more is tried by itself. */
const MISHAPS = 5;
let mishaps = 0;

export async function loadMissing(): Promise<void> {
  again = true;
  if (busy) return;
  busy = true;
  try {
    while (again && opened()) {
      again = false;
      const job = nextJob();
      if (!job) continue;
      try {
        await job();
      } catch (error) {
        // one job's mishap must not keep the others from being done
        toast.error(`Something went wrong: ${error instanceof Error ? error.message : String(error)}`);
        if (++mishaps > MISHAPS) return;
      }
      again = true;
    }
  } finally {
    busy = false;
  }
}

function nextJob(): Job | null {
  const s = get();
  const song = songOf(s);
  const open = opened();
  if (!song || !open) return null;
  forgetChanged(song.tracks);
  const tracks = [...song.tracks].sort(
    (a, b) =>
      Number(b.id === s.editTrackId) - Number(a.id === s.editTrackId) || Number(isVocal(a)) - Number(isVocal(b)),
  );
  const heard = tracks.flatMap(track => {
    const ids = soundingTakes(s, track);
    return track.takes.filter(t => ids.has(t.id)).map(take => ({ track, take }));
  });
  const failed = (id: string) => s.takes[id]?.status === 'failed' || s.takes[id]?.status === 'stopped';
  // what is kept of the readings of what is heard comes first, for it is small; then the edited track, ready to be worked on; then what
  // sounds with it; what is not heard is looked at beside or after these
  const isHeard = (take: Take) => heard.some(h => h.take === take);
  const unseen = (of: Track[]) => of.flatMap(t => t.takes).filter(t => !s.takes[t.id]?.reading && !looked.has(t.id));
  const voices = tracks.filter(isVocal);
  const show = (track: Track, takes: Take[], next: Take[]): Job => {
    for (const take of takes) looked.add(take.id);
    askAhead(next.slice(0, ASKED_AT_ONCE));
    return () => showKept(track, takes);
  };
  const unseenHeard = unseen(voices).filter(isHeard);
  const [first] = unseenHeard;
  if (first)
    return show(
      voices.find(t => t.takes.includes(first))!,
      [first],
      unseenHeard,
    );
  const unready = heard.find(h => isVocal(h.track) && !open.clients.has(h.take.id) && !failed(h.take.id));
  const edited = unready?.track.id === s.editTrackId && open.sounds.has(unready.take.id);
  if (edited) return () => readHeard(unready.take);
  const [edit] = voices.filter(t => t.id === s.editTrackId);
  const beside = edit && heard.some(h => h.track === edit && open.clients.has(h.take.id)) ? unseen([edit]) : [];
  if (beside.length) return show(edit, beside, beside);
  const silent = heard.find(h => !open.sounds.has(h.take.id) && !failed(h.take.id));
  if (silent) return () => loadSound(silent.take);
  if (unready) return () => readHeard(unready.take);
  const backings = tracks.filter(t => !isVocal(t) && !t.mute).flatMap(t => heard.filter(h => h.track === t));
  const stamp = backings.map(b => `${b.take.id} ${stampOf(b.take)} ${b.take.offsetSeconds}`).join();
  if (stamp !== backingStamp)
    return () =>
      analyse(
        backings.map(b => b.take),
        stamp,
      );
  const dark = voices.find(t => unseen([t]).length);
  if (dark) return show(dark, unseen([dark]), unseen(voices));
  for (const track of voices)
    for (const take of track.takes)
      // one with a worker is read, and seen as soon as its notes are taken apart
      if (!s.takes[take.id]?.reading && !open.clients.has(take.id) && !failed(take.id)) return () => readUnheard(take);
  return null;
}

/** Drops what was made from a recording, channel or range that is no longer a take's. */
function forgetChanged(tracks: readonly Track[]): void {
  const open = opened()!;
  for (const take of tracks.flatMap(t => t.takes)) {
    const stamp = stampOf(take);
    const before = stamps.get(take.id);
    stamps.set(take.id, stamp);
    if (before === undefined || before === stamp) continue;
    open.clients.get(take.id)?.close();
    open.clients.delete(take.id);
    open.sounds.delete(take.id);
    open.tones.delete(take.id);
    looked.delete(take.id);
    set(s => ({ takes: { ...s.takes, [take.id]: unreadTake } }));
  }
  const there = new Set(tracks.flatMap(t => t.takes.map(k => k.id)));
  for (const [id, client] of open.clients)
    if (!there.has(id)) {
      client.close();
      open.clients.delete(id);
      open.sounds.delete(id);
    }
}

/** The song goes on for as long as anything of it is heard: a word may be held on past the end of its recording. */
export function reachOn(): void {
  const open = opened();
  const song = songOf(get());
  if (!open || !song) return;
  for (const track of song.tracks)
    for (const c of placedClips(song, track)) {
      const sound = open.sounds.get(c.takeId);
      if (!sound || !c.place.bent) continue;
      const end = Math.min(c.to, c.place.toSong(lengthOf(sound.sung[0]) / song.sampleRate));
      if (end > get().duration) reachTo(end);
    }
}

async function loadSound(take: Take): Promise<void> {
  const open = opened()!;
  const song = songOf(get())!;
  try {
    const sung = soundAhead(take) ?? (await withFiles(async job => job.load(song.id, take.sourceId, take.channels)));
    if (!stillOpen(open.id)) return;
    open.sounds.set(take.id, { sung, linked: take.channels === 'linked' });
    reachTo(take.offsetSeconds + lengthOf(sung[0]) / song.sampleRate);
    syncPlayer();
  } catch (error) {
    failTake(take, error);
  }
}

function failTake(take: Take, error: unknown): void {
  const message = error instanceof Error ? error.message : String(error);
  setTake(take.id, { status: 'failed', error: message });
  toast.error(`${take.name} could not be loaded: ${message}`);
}

/** Reads a stopped or failed take after all. */
export function readAgain(takeId: string): void {
  setTake(takeId, { status: 'waiting', error: undefined });
  void loadMissing();
}

async function analyse(takes: Take[], stamp: string): Promise<void> {
  const open = opened()!;
  const rate = songOf(get())!.sampleRate;
  backingStamp = stamp;
  const sounds = takes.flatMap(t => {
    const sound = open.sounds.get(t.id);
    return sound ? [{ channels: sound.sung, offset: Math.round(t.offsetSeconds * rate) }] : [];
  });
  try {
    const backing = sounds.length ? await analyseInWorker(sounds, rate) : null;
    if (stillOpen(open.id)) set({ backing });
  } catch (error) {
    toast.error(
      `Tempo and chords could not be estimated: ${error instanceof Error ? error.message : String(error)}. They can be set by hand.`,
    );
  }
}
