import { History, select, Song, Take, Tempo, Track, type NoteFacts, type Reading } from '@essim/core';
import { settleScope } from './desks/tune/edits';
import type { TakeClient } from './jobs/take-client';
import { Player } from './player/player';
import { choose } from './open-song';
import { addSong } from './keeping/songs';
import { freshSong, setOpened, useSession, type OpenSong } from './open-song/state';
import { trackView, type TakeView } from '@essim/core';

/** Made-up songs for tests of what needs no page. */

export const take = (id: string, fields: Partial<Take> = {}): Take =>
  Object.assign(new Take(), { id, name: id, sourceId: id.padEnd(64, '0').slice(0, 64), offsetSeconds: 0, ...fields });

export const track = (id: string, takes: Take[], fields: Partial<Track> = {}): Track =>
  Object.assign(new Track(), {
    id,
    name: id,
    role: 'lead',
    takes,
    segments: takes.length ? [{ at: 0, takeId: takes[0].id, fadeMs: 12 }] : [],
    ...fields,
  });

export const song = (tracks: Track[], fields: Partial<Song> = {}): Song =>
  Object.assign(new Song(), { id: 'quay', name: 'Quay', sampleRate: 48000, tracks, ...fields });

export const tempo = (bpm: number, fields: Partial<Tempo> = {}): Tempo =>
  Object.assign(new Tempo(), { bpm, beatsPerBar: 4, firstBarSeconds: 0, ...fields });

/** A take that sings one note of .8 s a second, in phrases of so many notes with a second's rest between. @param pitch MIDI */
export function sung(pitch: number, phrases: number[], levelDb = -20): TakeView {
  const notes: (NoteFacts & { pitch: number })[] = [];
  let at = 0;
  for (const count of phrases) {
    for (let i = 0; i < count; i++, at++)
      notes.push({ key: `n${at}`, start: at + 0.1, end: at + 0.9, onset: at + 0.15, sung: pitch, pitch });
    at++;
  }
  at--;
  const frames = at * 200;
  const line = new Float32Array(frames).fill(pitch);
  const reading = {
    duration: at,
    hop: 0.005,
    f0: new Float32Array(frames).fill(220),
    levelDb: new Float32Array(frames).fill(levelDb),
    candidates: {
      count: new Uint8Array(frames / 2),
      hz: new Float32Array((frames / 2) * 7),
      periodicity: new Float32Array((frames / 2) * 7),
      harmonicity: new Float32Array((frames / 2) * 7),
    },
    notes,
    noises: [],
    spoken: [],
    colour: new Float32Array(frames),
  } as unknown as Reading;
  return {
    status: 'ready',
    progress: 1,
    assumed: [],
    misfits: [],
    auto: reading,
    reading,
    notes,
    sungLine: line,
    gainDb: null,
    line,
  };
}

/** Puts a song with read takes before the desks, without workers or sound. */
export async function open(made: Song, takes: Record<string, TakeView> = {}): Promise<void> {
  await addSong(made);
  useSession.setState({
    ...freshSong,
    history: new History(made),
    editTrackId: made.tracks[0]?.id ?? '',
    takes,
    views: Object.fromEntries(made.tracks.map(t => [t.id, trackView(made, t, takes)])),
  });
}

/** Gives the open song recordings of silence, seconds by take, and a worker for each that does nothing. */
export function withSound(seconds: Record<string, number>): OpenSong {
  const nothing = () => {};
  const idle = { prepared: true, attend: nothing, plan: nothing, close: nothing, live: () => new Promise(nothing) };
  const ids = Object.keys(seconds);
  const { id, sampleRate } = now();
  const made: OpenSong = {
    id,
    player: new Player(sampleRate),
    clients: new Map(ids.map(take => [take, idle as unknown as TakeClient])),
    sounds: new Map(ids.map(take => [take, { sung: [new Float32Array(seconds[take] * sampleRate)], linked: false }])),
    tones: new Map(),
  };
  setOpened(made);
  return made;
}

/** The open song as it stands. */
export const now = (): Song => useSession.getState().history!.song;

/** Waits until something holds. @throws after twenty seconds */
export async function settled(holds: () => boolean | Promise<boolean>): Promise<void> {
  const end = Date.now() + 20000;
  while (!(await holds())) {
    if (Date.now() > end) throw new Error(`waited too long for: ${String(holds)}`);
    await new Promise(go => setTimeout(go, 5));
  }
}

/** Settles every note of the edited track. */
export function settleAll(): void {
  const { editTrackId } = useSession.getState();
  choose(
    select(
      editTrackId,
      useSession.getState().views[editTrackId].notes.map(n => n.key),
    ),
  );
  settleScope();
}

/** What would be handed to the browser to save, from now on. */
export function downloads(): { name: string; bytes: Uint8Array }[] {
  const saved: { name: string; bytes: Uint8Array }[] = [];
  let blob: Blob | null = null;
  URL.createObjectURL = given => {
    blob = given as Blob;
    return 'blob:';
  };
  URL.revokeObjectURL = () => {};
  const link = {
    download: '',
    click() {
      const name = link.download;
      void blob!.arrayBuffer().then(b => saved.push({ name, bytes: new Uint8Array(b) }));
    },
  };
  Object.assign(globalThis, { document: { createElement: () => link } });
  return saved;
}
