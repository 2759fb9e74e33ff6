import {
  clipSamples,
  correctReading,
  midiLine,
  noCorrections,
  noteKey,
  panGains,
  type NoteFacts,
  type Reading,
  type ReadingCorrections,
  type Take,
  type Track,
} from '@essim/core';
import { toast } from 'sonner';
import { wholeSong, type Viewport } from '../field/viewport';
import { withFiles } from '../jobs/files-client';
import { analyseInWorker } from '../jobs/setup-client';
import { TakeClient } from '../jobs/take-client';
import type { PlannedTake } from '../jobs/take-job';
import { bearingOf, countingEdits, leans } from './bearing';
import { hearLevel, isHeard } from './listening';
import { noteLength } from './songs';
import {
  clientOf,
  editViewOf,
  isVocal,
  opened,
  playedClips,
  songOf,
  soundingTakes,
  trackOf,
  useSession,
  type SessionState,
} from './state';
import { editsByTake, trackView, unreadTake, type TakeView } from './track-view';

/**
 * Keeps what is open in step with the document: loads the recordings that are heard, reads every vocal take, keeps a worker ready for
 * each that is heard, analyses the backing. One thing after the other, the most urgent first; looks again after each, so that it does
 * not matter what changed the document.
 */

const get = useSession.getState;
const set = useSession.setState;

/** What a take's sound and reading were made from; a take whose stamp changed is loaded anew. */
const stampOf = (take: Take) => `${take.sourceId} ${take.channels} ${take.range}`;
const stamps = new Map<string, string>();
let backingStamp = '';
let busy = false;
let again = false;
/** The take that is read now, so that its reading can be stopped. */
let readingNow: { takeId: string; client: TakeClient } | null = null;

export function forgetAll(): void {
  stamps.clear();
  readingNow?.client.close();
  mishaps = 0;
  backingStamp = '';
}

type Job = () => Promise<void>;
/** After this many unforeseen errors nothing more is tried by itself. */
const MISHAPS = 5;
let mishaps = 0;

export async function tend(): Promise<void> {
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
  const silent = heard.find(h => !open.sounds.has(h.take.id) && !failed(h.take.id));
  if (silent) return () => loadSound(silent.take);
  const unready = heard.find(h => isVocal(h.track) && !open.clients.has(h.take.id) && !failed(h.take.id));
  if (unready) return () => readHeard(unready.take);
  const backings = tracks.filter(t => !isVocal(t) && !t.mute).flatMap(t => heard.filter(h => h.track === t));
  const stamp = backings.map(b => `${b.take.id} ${stampOf(b.take)} ${b.take.offsetSeconds}`).join();
  if (stamp !== backingStamp)
    return () =>
      analyse(
        backings.map(b => b.take),
        stamp,
      );
  for (const track of tracks.filter(isVocal))
    for (const take of track.takes) if (!s.takes[take.id]?.reading && !failed(take.id)) return () => readUnheard(take);
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

const stillOpen = (id: string) => opened()?.id === id;

async function loadSound(take: Take): Promise<void> {
  const open = opened()!;
  const song = songOf(get())!;
  try {
    const sung = await withFiles(async job => job.load(song.id, take.sourceId, take.channels));
    if (!stillOpen(open.id)) return;
    open.sounds.set(take.id, { sung, linked: take.channels === 'linked' });
    const end = take.offsetSeconds + sung[0].length / song.sampleRate;
    if (end > get().duration || open.sounds.size === 1) {
      const duration = Math.max(end, open.sounds.size === 1 ? 1 : get().duration);
      void noteLength(open.id, duration).catch(() => {});
      set(s => ({
        duration,
        view: s.viewBefore.length || editViewOf(s).status === 'ready' ? s.view : wholeSong(duration, s.view),
      }));
    }
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

/** The tone of the reading, as a track of its own and a source for each take. */
const TONE = 'tone';
const toneId = (takeId: string) => `${TONE} ${takeId}`;

/** Sends the player what sounds now. */
export function syncPlayer(): void {
  const open = opened();
  const s = get();
  const song = songOf(s);
  if (!open || !song) return;
  open.player.setSources([
    ...[...open.sounds].map(([id, sound]) => ({ id, ...sound })),
    ...[...open.tones].map(([id, sung]) => ({ id: toneId(id), sung, linked: false })),
  ]);
  const clipsAs = (track: Track, name: (takeId: string) => string) =>
    playedClips(s, track).map(c => ({ sourceId: name(c.takeId), ...clipSamples(c, song.sampleRate) }));
  const edited = trackOf(s, s.editTrackId);
  open.player.setTracks([
    ...song.tracks.map(track => ({ id: track.id, clips: clipsAs(track, id => id) })),
    ...(edited && s.ear !== 'off' ? [{ id: TONE, clips: clipsAs(edited, toneId) }] : []),
  ]);
  for (const [takeId, client] of open.clients)
    client.attend(
      open.player.status,
      song.tracks.flatMap(track =>
        playedClips(s, track)
          .filter(c => c.takeId === takeId)
          .map(c => {
            const { from, to, offset } = clipSamples(c, song.sampleRate);
            return { from, to, offset };
          }),
      ),
    );
  applyGains();
}

/** Sends every track's level for the present Hear, mute and solo; while recording, for the cue. */
export function applyGains(): void {
  const s = get();
  const song = songOf(s);
  if (!song || !opened()) return;
  const soloed = song.tracks.some(t => t.solo);
  const gains: Record<string, [number, number]> = {};
  for (const t of song.tracks) {
    const wanted = s.cue ? s.cue.includes(t.id) : t.id === s.audition?.trackId || isHeard(s, t);
    const heard = wanted && !t.mute && (!soloed || t.solo || !!s.cue);
    gains[t.id] = heard ? panGains(t.levelDb + (s.cue ? 0 : hearLevel(s, t.id)), t.pan) : [0, 0];
  }
  if (s.ear !== 'off' && !s.cue) {
    // the tone on the left, the voice on the right; or the tone alone
    gains[TONE] = s.ear === 'alone' ? [1, 1] : [1, 0];
    const voice = gains[s.editTrackId];
    if (voice) gains[s.editTrackId] = s.ear === 'alone' ? [0, 0] : [0, Math.max(voice[0], voice[1])];
  }
  opened()!.player.setGains(gains);
}

function setTake(takeId: string, change: Partial<TakeView>): void {
  const only = Object.keys(change);
  set(s => ({ takes: { ...s.takes, [takeId]: { ...(s.takes[takeId] ?? unreadTake), ...change } } }));
  const track = songOf(get())?.tracks.find(t => t.takes.some(k => k.id === takeId));
  if (!track) return;
  const view = get().views[track.id];
  // how far a reading is changes nothing in a comp that does not wait for it
  if (only.length === 1 && only[0] === 'progress' && view?.status !== 'reading' && !view?.partial) return;
  refreshView(track);
}

/** Joins a track's takes anew after one of them or its comp changed. */
export function refreshView(track: Track): void {
  set(s => ({
    views: {
      ...s.views,
      [track.id]: trackView(track, s.takes, take => countingEdits(s, track, take, s.takes[take.id]?.notes)),
    },
  }));
}

const factsOf = (reading: Reading): NoteFacts[] =>
  reading.notes.map(n => ({ key: noteKey(n), start: n.start, end: n.end, onset: n.onset, sung: n.pitch }));

const takeOf = (takeId: string): Take | undefined =>
  songOf(get())
    ?.tracks.flatMap(t => t.takes)
    .find(t => t.id === takeId);
const correctionsOf = (takeId: string): ReadingCorrections => takeOf(takeId)?.corrections ?? noCorrections;

/** What a take with a worker is shown by, its corrections as they stand now. */
async function preparedTake(client: TakeClient, takeId: string, auto: Reading): Promise<Partial<TakeView>> {
  const { corrected, assumed, misfits, notes, sungLine } = await client.prepare(auto, correctionsOf(takeId));
  const reading = corrected ? { ...auto, ...corrected } : auto;
  return { auto, reading, assumed, misfits, notes, sungLine, line: sungLine };
}

/** The same for a take that is not heard and has no worker. */
function unpreparedTake(takeId: string, auto: Reading): Partial<TakeView> {
  const { reading, assumed, misfits } = correctReading(auto, correctionsOf(takeId));
  const line = midiLine(reading);
  return { auto, reading, assumed, misfits, notes: factsOf(reading), sungLine: line, line };
}

/** Corrections waiting to be taken in, by take: while one is, only the newest next one counts. */
const correcting = new Map<string, boolean>();

/** Takes a take's corrections in after they changed. */
export async function recorrect(takeId: string): Promise<void> {
  if (correcting.has(takeId)) return void correcting.set(takeId, true);
  const view = get().takes[takeId];
  if (!view?.auto) return;
  const client = clientOf(takeId);
  if (!client?.prepared) return setTake(takeId, unpreparedTake(takeId, view.auto));
  correcting.set(takeId, false);
  try {
    for (let again = true; again; again = correcting.get(takeId) === true) {
      correcting.set(takeId, false);
      const before = view.notes;
      setTake(takeId, await preparedTake(client, takeId, view.auto));
      announceMoved(takeId, before);
      replan(takeId);
    }
  } catch (error) {
    // the song was closed meanwhile
    if (clientOf(takeId) === client) throw error;
  } finally {
    correcting.delete(takeId);
  }
  if (get().ear !== 'off') void soundTones();
}

/** Tells of edited notes that are now heard elsewhere; where they are meant to be stays. */
function announceMoved(takeId: string, before: readonly NoteFacts[]): void {
  const take = takeOf(takeId);
  const now = get().takes[takeId]?.notes ?? [];
  const moved = now.filter(n => {
    const edit = take?.edits[n.key];
    const was = before.find(o => o.key === n.key);
    return edit?.target !== undefined && was && Math.abs(was.sung - n.sung) > 0.5;
  });
  if (moved.length)
    toast(
      `${moved.length} edited ${moved.length === 1 ? 'note is' : 'notes are'} now heard elsewhere; where ${moved.length === 1 ? 'it is' : 'they are'} meant to be stays.`,
      { id: 'moved' },
    );
}

/** Makes the tones of the edited track's takes and sends them to the player. */
export async function soundTones(): Promise<void> {
  const open = opened();
  const s = get();
  const track = trackOf(s, s.editTrackId);
  if (!open || !track) return;
  for (const id of soundingTakes(s, track)) {
    const client = open.clients.get(id);
    if (!client?.prepared) continue;
    const tone = await client.tone().catch(() => null);
    if (!tone || !stillOpen(open.id)) return;
    open.tones.set(id, [tone]);
  }
  syncPlayer();
}

const cachedReading = ({ sourceId, range, channels }: Take): Promise<Reading | undefined> =>
  withFiles(async job => job.cachedReading({ sourceId, range, channels }));

/** The take's reading, made in a worker and kept. */
async function readingOf(take: Take, client: TakeClient): Promise<Reading> {
  if (get().takes[take.id]?.readUntil === undefined) setTake(take.id, { status: 'reading', progress: 0 });
  readingNow = { takeId: take.id, client };
  try {
    const reading = await client.read(take.range, share => {
      // a redraw a per cent, not one a report
      const progress = Math.round(share * 100) / 100;
      const now = get().takes[take.id];
      if (now?.progress !== progress && progress >= (now?.progress ?? 0)) setTake(take.id, { progress });
    });
    const { sourceId, range, channels } = take;
    void withFiles(async job => job.cacheReading({ sourceId, range, channels }, reading)).catch(() => {});
    return reading;
  } finally {
    readingNow = null;
  }
}

/** Reads a take that is heard, in a worker that ends with it; another plans and renders. */
async function readHeard(take: Take): Promise<void> {
  const open = opened()!;
  const song = songOf(get())!;
  const client = new TakeClient();
  open.clients.set(take.id, client);
  let reader: TakeClient | null = null;
  try {
    const { sung } = open.sounds.get(take.id)!;
    await client.open(sung, song.sampleRate);
    syncPlayer();
    let reading = await cachedReading(take);
    if (!reading) {
      reader = new TakeClient(true);
      await reader.open(sung, song.sampleRate);
      await showHead(take, client, reader);
      reading = await readingOf(take, reader);
    }
    if (stillOpen(open.id)) await show(take, client, reading, { readUntil: undefined, progress: 1 });
  } catch (error) {
    notRead(take, client, error);
  } finally {
    reader?.close();
  }
}

/** Reads the first phrases of a long take ahead of the rest and shows them: they are edited while the rest is read. */
async function showHead(take: Take, client: TakeClient, reader: TakeClient): Promise<void> {
  const open = opened()!;
  // the beginning may hold no sound that can be read; the rest will tell
  const head = await reader.readHead(take.range).catch(() => null);
  if (!head?.reading.notes.length || !stillOpen(open.id)) return;
  await show(take, client, head.reading, { readUntil: head.until, progress: head.until / head.reading.duration });
}

/** Shows a reading of a take that is heard, with its corrections and edits. */
async function show(take: Take, client: TakeClient, reading: Reading, how: Partial<TakeView>): Promise<void> {
  const open = opened()!;
  const before = get().takes[take.id]?.notes ?? [];
  const prepared = await preparedTake(client, take.id, reading);
  if (!stillOpen(open.id)) return;
  const firstSight = !get().viewBefore.length && editViewOf(get()).status !== 'ready';
  // what a reading of the beginning alone cannot place is no misfit
  setTake(take.id, { status: 'ready', ...prepared, ...(how.readUntil ? { misfits: [] } : {}), ...how });
  const s = get();
  if (firstSight && trackOf(s, s.editTrackId)?.takes.some(t => t.id === take.id) && editViewOf(s).status === 'ready')
    zoomToFirstPhrase();
  announceMoved(take.id, before);
  replan(take.id);
  if (get().ear !== 'off') void soundTones();
}

/** Reads a take nobody hears now, for its scores; its worker ends with it. */
async function readUnheard(take: Take): Promise<void> {
  const open = opened()!;
  const song = songOf(get())!;
  const ready = (auto: Reading) => setTake(take.id, { status: 'ready', progress: 1, ...unpreparedTake(take.id, auto) });
  let client: TakeClient | null = null;
  try {
    let reading = await cachedReading(take);
    if (!reading) {
      client = new TakeClient(true);
      await client.open(await withFiles(async job => job.load(song.id, take.sourceId, take.channels)), song.sampleRate);
      reading = await readingOf(take, client);
    }
    if (stillOpen(open.id)) ready(reading);
  } catch (error) {
    notRead(take, client, error);
  } finally {
    client?.close();
  }
}

function notRead(take: Take, client: TakeClient | null, error: unknown): void {
  const open = opened();
  if (!open || !songOf(get())?.tracks.some(t => t.takes.some(k => k.id === take.id))) return;
  if (client && open.clients.get(take.id) === client) open.clients.delete(take.id);
  client?.close();
  const message = error instanceof Error ? error.message : String(error);
  const stopped = error instanceof Error && error.name === 'Stopped';
  const now = {
    readUntil: undefined,
    ...(stopped ? { status: 'stopped' as const } : { status: 'failed' as const, error: message }),
  };
  setTake(take.id, now);
  if (!stopped) toast.error(`${take.name} could not be read: ${message}.`);
}

/** Stops a running reading; the take is then left alone until it is asked for. */
export function stopReading(takeId: string): void {
  if (readingNow?.takeId === takeId) readingNow.client.stopReading();
}

/** Reads a stopped or failed take after all. */
export function readAgain(takeId: string): void {
  setTake(takeId, { status: 'waiting', error: undefined });
  void tend();
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

/** Plans and renders a take again after its edits changed. */
export function replan(takeId: string): void {
  const s = get();
  const song = songOf(s);
  const track = song?.tracks.find(t => t.takes.some(k => k.id === takeId));
  const take = track?.takes.find(t => t.id === takeId);
  const client = clientOf(takeId);
  if (!track || !take || !client || s.takes[takeId]?.status !== 'ready') return;
  let edits = take.edits;
  if (s.preview && track.id === s.editTrackId) {
    const previewed = editsByTake(editViewOf(s).notes, s.preview).get(takeId);
    if (previewed) edits = { ...edits, ...(previewed as typeof edits) };
  }
  const counting = countingEdits(s, track, { ...take, edits }, s.takes[takeId]?.notes);
  client.plan(counting, bearingOf(s, track, take), (planned: PlannedTake) => {
    const open = opened();
    const sound = open?.sounds.get(takeId);
    if (!open || !sound) return;
    if (planned.tiles) {
      // the first edit of a take: from now on it has sound of its own
      open.sounds.set(takeId, { ...sound, tiles: planned.tiles });
      syncPlayer();
    }
    setTake(takeId, { line: planned.line, gainDb: planned.gainDb ?? null });
    replanLeaning(track.id);
  });
}

/** Followers whose pitch leans to a track take its new line along. */
function replanLeaning(leadId: string): void {
  for (const t of songOf(get())?.tracks ?? [])
    if (t.followsId === leadId && leans(t) && t.found && !t.part) for (const k of t.takes) replan(k.id);
}

function zoomToFirstPhrase(): void {
  const s = get();
  const first = editViewOf(s).phrases[0];
  if (!first) return;
  set({
    view: { ...fitPitch(s, first.start, first.end), from: Math.max(0, first.start - 0.6), to: first.end + 0.6 },
  });
}

/** Pitch bounds that hold what is sung in a span of the song, at least an octave and a fifth. */
export function fitPitch(s: SessionState, from: number, to: number): Pick<Viewport, 'low' | 'high'> {
  const { notes: all, edits } = editViewOf(s);
  const notes = all.filter(n => n.end > from && n.start < to);
  if (!notes.length) return { low: s.view.low, high: s.view.high };
  // a part is nowhere near where its lead sang it
  const part = !!trackOf(s, s.editTrackId)?.part;
  const pitches = notes.map(n => (part ? (edits[n.key]?.target ?? n.sung) : n.sung));
  const low = Math.min(...pitches) - 3;
  const high = Math.max(...pitches) + 3;
  const missing = Math.max(0, 17 - (high - low)) / 2;
  return { low: Math.floor(low - missing), high: Math.ceil(high + missing) };
}
