import {
  correctReading,
  counted,
  editsInOrder,
  lineInMidi,
  noCorrections,
  noteKey,
  type NoteFacts,
  type Reading,
  type ReadingCorrections,
  type Take,
  type TakeView,
  type Track,
} from '@essim/core';
import { toast } from 'sonner';
import { withFiles } from '../jobs/files-client';
import { takeAhead } from '../jobs/ahead';
import { TakeClient } from '../jobs/take-client';
import { TakeReader } from '../jobs/take-reader';
import { replan } from './planning';
import { soundTones, syncPlayer } from './sounding';
import { clientOf, editViewOf, opened, songOf, trackOf, useSession, type OpenSong } from './state';
import { setTake, setTakes } from './views';
import { reachTo, zoomToFirstPhrase } from './framing';

/** Reads takes in workers, and takes corrections in. */

const get = useSession.getState;

const stillOpen = (id: string) => opened()?.id === id;
/** The take that is read now, so that its reading can be stopped. */
let readingNow: { takeId: string; reader: TakeReader } | null = null;
export const closeReader = (): void => readingNow?.reader.close();

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
  // what its sound tells goes by its pitch
  return { auto, reading, assumed, misfits, notes, sungLine, line: sungLine, sound: undefined };
}

/** Takes whose sound is being listened to. */
const listening = new Set<string>();

/** Has what is heard of a track tell what its sound is like, where nobody has asked yet; answers when it is known. */
export async function listenTo(trackId: string): Promise<void> {
  const track = trackOf(get(), trackId);
  if (!track) return;
  for (const take of track.takes) {
    const client = clientOf(take.id);
    if (!client?.prepared || get().takes[take.id]?.sound || listening.has(take.id)) continue;
    listening.add(take.id);
    try {
      const sound = await client.sound();
      if (clientOf(take.id) === client) setTake(take.id, { sound: () => sound });
    } catch (error) {
      // the song was closed, or the take is heard by another worker now: whoever shows it asks again
      if (clientOf(take.id) === client) throw error;
    } finally {
      listening.delete(take.id);
    }
  }
}

/** The same for a take that is not heard and has no worker. */
function unpreparedTake(takeId: string, auto: Reading): Partial<TakeView> {
  const { reading, assumed, misfits } = correctReading(auto, correctionsOf(takeId));
  const line = lineInMidi(reading);
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
      replan(takeId, true);
    }
    keepFactsOf(takeId);
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
  if (!take || now === before) return;
  const edits = editsInOrder(now, take.edits);
  const moved = now.filter((n, i) => {
    const was = before.find(o => Math.min(o.end, n.end) - Math.max(o.start, n.start) > 0.5 * (n.end - n.start));
    return edits[i]?.target !== undefined && was && Math.abs(was.sung - n.sung) > 0.5;
  });
  if (moved.length)
    toast(
      `${counted(moved.length, 'edited note is', 'edited notes are')} now heard elsewhere; where ${moved.length === 1 ? 'it is' : 'they are'} meant to be stays.`,
      { id: 'moved' },
    );
}

const cachedReading = ({ sourceId, range, channels }: Take): Promise<Reading | undefined> =>
  withFiles(async job => job.cachedReading({ sourceId, range, channels }));

/** The take's reading, made in a worker and kept. */
async function readingOf(take: Take, reader: TakeReader): Promise<Reading> {
  if (get().takes[take.id]?.readUntil === undefined) setTake(take.id, { status: 'reading', progress: 0 });
  readingNow = { takeId: take.id, reader };
  try {
    const reading = await reader.read(share => {
      // a redraw a per cent, not one a report
      const progress = Math.round(share * 100) / 100;
      const now = get().takes[take.id];
      if (now?.progress !== progress && progress >= (now?.progress ?? 0)) setTake(take.id, { progress });
    });
    const { sourceId, range, channels } = take;
    keeping = withFiles(async job => job.cacheReading({ sourceId, range, channels }, reading)).catch(() => {});
    return reading;
  } finally {
    readingNow = null;
  }
}

/** Readings and facts on their way to where they are kept, one after the other. */
let keeping: Promise<unknown> = Promise.resolve();

/** What a take was corrected by, as text: what was found of its notes holds for that. */
const correctedBy = (takeId: string): string => JSON.stringify(correctionsOf(takeId));

/** Keeps what a take's notes were found to be beside its reading, for the next time the song is opened. */
function keepFactsOf(takeId: string): void {
  const take = takeOf(takeId);
  const view = get().takes[takeId];
  if (!take || !view?.reading || view.readUntil !== undefined) return;
  const { sourceId, range, channels } = take;
  const facts = { of: correctedBy(takeId), notes: view.notes };
  keeping = keeping
    .then(() => withFiles(async job => job.keepFacts({ sourceId, range, channels }, facts)))
    .catch(() => {});
}

/** What is kept of a take's reading, and of its notes by these corrections. */
async function keptTake({ sourceId, range, channels }: Take, correctedBy: string) {
  return withFiles(async job => job.keptTake({ sourceId, range, channels }, correctedBy));
}
type Asked = { of: string; kept: ReturnType<typeof keptTake> };
/** What was asked for ahead, by take. */
const askedAhead = new Map<string, Asked>();
export const forgetAsked = (): void => askedAhead.clear();

function askKept(take: Take): Asked {
  const of = correctedBy(take.id);
  const asked = { of, kept: keptTake(take, of) };
  // whoever shows it meets what went wrong
  asked.kept.catch(() => {});
  return asked;
}

/** Has what is kept of several takes fetched while the first of them are shown. */
export function askAhead(takes: readonly Take[]): void {
  for (const take of takes) if (!askedAhead.has(take.id)) askedAhead.set(take.id, askKept(take));
}

/** What was asked for ahead of a take, unless it was corrected otherwise since. */
function claimed(take: Take): Asked {
  const ahead = askedAhead.get(take.id);
  askedAhead.delete(take.id);
  return ahead?.of === correctedBy(take.id) ? ahead : askKept(take);
}

/** Shows takes of a track by what is kept of their readings, before their recordings are there: a long song is seen at once. */
export async function showKept(track: Track, takes: readonly Take[]): Promise<void> {
  const open = opened()!;
  const kept = await Promise.all(takes.map(take => claimed(take).kept));
  if (!stillOpen(open.id)) return;
  const seen = takes.flatMap((take, i) => {
    const found = kept[i];
    return found && !get().takes[take.id]?.reading ? [{ take, ...found }] : [];
  });
  if (!seen.length) return;
  const firstSight = isFirstSight();
  setTakes(
    trackOf(get(), track.id) ?? track,
    seen.map(({ take, reading, notes }) => [take.id, unprepared(take, reading, notes && { notes })]),
  );
  for (const { take, reading } of seen) reachTo(take.offsetSeconds + reading.duration);
  performance.mark('essim seen');
  if (firstSight) zoomWhenSeen(seen[0].take);
}

const unprepared = (take: Take, auto: Reading, more: Partial<TakeView> = {}): Partial<TakeView> => ({
  status: 'ready',
  progress: 1,
  ...unpreparedTake(take.id, auto),
  ...more,
});
const showUnprepared = (take: Take, auto: Reading, more?: Partial<TakeView>): void =>
  setTake(take.id, unprepared(take, auto, more));

const isFirstSight = () => !get().viewBefore.length && editViewOf(get()).status !== 'ready';
function zoomWhenSeen(take: Take): void {
  const s = get();
  if (trackOf(s, s.editTrackId)?.takes.some(t => t.id === take.id) && editViewOf(s).status === 'ready')
    zoomToFirstPhrase();
}

/**
 * Reads a take that is heard, in a worker that ends with it; another plans and renders. It is done once the take is read: while its notes
 * are taken apart the next take may be read.
 */
export async function readHeard(take: Take): Promise<void> {
  const open = opened()!;
  const song = songOf(get())!;
  const client = new TakeClient();
  open.clients.set(take.id, client);
  let reader: TakeReader | null = null;
  try {
    const { sung } = open.sounds.get(take.id)!;
    const ready = client.open(sung, song.sampleRate);
    ready.catch(() => {});
    reader = takeAhead(take);
    let reading = get().takes[take.id]?.auto ?? (reader ? undefined : await cachedReading(take));
    if (!reading) {
      reader ??= new TakeReader().open(sung, song.sampleRate, take.range);
      const head = await seeHead(take, reader);
      await ready;
      syncPlayer();
      if (head && stillOpen(open.id)) await show(take, client, head.reading, head.how);
      reading = await readingOf(take, reader);
    }
    await ready;
    syncPlayer();
    if (stillOpen(open.id))
      show(take, client, reading, { readUntil: undefined, progress: 1 }).catch(error =>
        notRead(open, take, client, error),
      );
  } catch (error) {
    notRead(open, take, client, error);
  } finally {
    reader?.close();
  }
}

/** Reads the first phrases of a long take ahead of the rest; they are seen at once, and worked on as soon as a worker knows them. */
async function seeHead(take: Take, reader: TakeReader): Promise<{ reading: Reading; how: Partial<TakeView> } | null> {
  const open = opened()!;
  const head = await reader.head();
  if (!head?.reading.notes.length || !stillOpen(open.id)) return null;
  const { reading, until } = head;
  const how = { readUntil: until, progress: until / reading.duration };
  const firstSight = isFirstSight();
  // what a reading of the beginning alone cannot place is no misfit
  showUnprepared(take, reading, { misfits: [], ...how });
  if (firstSight) zoomWhenSeen(take);
  return { reading, how };
}

/** Shows a reading of a take that is heard, with its corrections and edits. */
async function show(take: Take, client: TakeClient, reading: Reading, how: Partial<TakeView>): Promise<void> {
  const open = opened()!;
  const shown = get().takes[take.id]?.notes ?? [];
  // what was shown before its worker knew it was no hearing of its notes that another could differ from
  const before = client.prepared ? shown : [];
  const prepared = await preparedTake(client, take.id, reading);
  if (!stillOpen(open.id)) return;
  const firstSight = isFirstSight();
  setTake(take.id, { status: 'ready', ...prepared, ...(how.readUntil ? { misfits: [] } : {}), ...how });
  if (firstSight) zoomWhenSeen(take);
  announceMoved(take.id, before);
  replan(take.id, true);
  // most openings find what is kept already
  if (JSON.stringify(shown) !== JSON.stringify(prepared.notes)) keepFactsOf(take.id);
  if (get().ear !== 'off') void soundTones();
}

/** Reads a take nobody hears now and of which no reading is kept, for its scores; its worker ends with it. */
export async function readUnheard(take: Take): Promise<void> {
  const open = opened()!;
  const song = songOf(get())!;
  let reader = takeAhead(take);
  try {
    reader ??= new TakeReader().open(
      await withFiles(async job => job.loadAlone(song.id, take.sourceId, take.channels)),
      song.sampleRate,
      take.range,
    );
    const reading = await readingOf(take, reader);
    if (stillOpen(open.id)) showUnprepared(take, reading);
  } catch (error) {
    notRead(open, take, null, error);
  } finally {
    reader?.close();
  }
}

function notRead(open: OpenSong, take: Take, client: TakeClient | null, error: unknown): void {
  // the same song may be open anew
  if (opened() !== open || !songOf(get())?.tracks.some(t => t.takes.some(k => k.id === take.id))) return;
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
  if (readingNow?.takeId === takeId) readingNow.reader.stop();
}
