import { History, select, Song, Tempo, trackView, type TakeView } from '@essim/core';
import { settleScope } from './desks/tune/edits';
import type { TakeClient } from './jobs/take-client';
import { Player } from './player/player';
import { choose, written } from './open-song';
import { addSong } from './keeping/songs';
import { freshSong, setOpened, useSession, type OpenSong } from './open-song/state';

/** Made-up songs for tests of what needs no page. */

export { song, sourceOf, sung, take, track } from '../../core/src/score/testing';

export const tempo = (bpm: number, fields: Partial<Tempo> = {}): Tempo =>
  Object.assign(new Tempo(), { bpm, beatsPerBar: 4, firstBarSeconds: 0, ...fields });

/** Puts a song with read takes before the desks, without workers or sound. */
export async function open(made: Song, takes: Record<string, TakeView> = {}): Promise<void> {
  // nothing of the test before is written into this one's song
  await written();
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
    melodies: new Map(),
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
