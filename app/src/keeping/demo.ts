import { Chord, Song, Take, Tempo, Track, Word, type Role } from '@essim/core';
import { db } from './db';
import { newId } from './ids';
import { addSong, deleteForGood, duplicateSong } from './songs';

interface DemoTake {
  name: string;
  file: string;
  sourceId: string;
  /** When in the song it begins, s. */
  offset: number;
  words: { text: string; start: number; end: number }[];
}

/** What the server tells of the demo song. */
interface DemoDescription {
  name: string;
  sampleRate: number;
  bpm: number;
  chords: string[];
  tracks: { name: string; role: Role; levelDb: number; pan: number; mute?: boolean; takes: DemoTake[] }[];
}

export const DEMO_ID = 'ferry-lamp';

export const describeDemo = async (): Promise<DemoDescription> =>
  (await (await fetched('/demo/song.json')).json()) as DemoDescription;

/** Puts the demo song on the shelf when it is not there. Its recordings follow when they are first needed. Returns its id. */
export async function openDemo(): Promise<string> {
  const there = await db.songs.get(DEMO_ID);
  if (there) {
    if (there.deletedAt) await db.songs.update(DEMO_ID, { deletedAt: undefined });
    return DEMO_ID;
  }
  const demo = await describeDemo();
  const tracks = demo.tracks.map(t => {
    const takes = t.takes.map(k =>
      Object.assign(new Take(), {
        id: newId(),
        name: k.name,
        sourceId: k.sourceId,
        offsetSeconds: k.offset,
        words: k.words.map(w => Object.assign(new Word(), w)),
      }),
    );
    return Object.assign(new Track(), {
      id: newId(),
      name: t.name,
      role: t.role,
      levelDb: t.levelDb,
      pan: t.pan,
      mute: t.mute ?? false,
      takes,
      segments: [{ at: 0, takeId: takes[0].id, fadeMs: 12 }],
    });
  });
  const lead = tracks.find(t => t.role === 'lead');
  for (const t of tracks) if (lead && (t.role === 'double' || t.role === 'harmony')) t.followsId = lead.id;
  const bar = (60 / demo.bpm) * 4;
  const chords = demo.chords
    .map((name, i) => Object.assign(new Chord(), { start: i * bar, name }))
    .filter((c, i, all) => !i || c.name !== all[i - 1].name);
  const tempo = Object.assign(new Tempo(), { bpm: demo.bpm, beatsPerBar: 4, firstBarSeconds: 0 });
  await addSong(
    Object.assign(new Song(), { id: DEMO_ID, name: demo.name, sampleRate: demo.sampleRate, tempo, chords, tracks }),
  );
  return DEMO_ID;
}

/** Puts the demo song back as it came; what was done to it stays on the shelf as a copy. Returns its id. */
export async function restoreDemo(): Promise<string> {
  await duplicateSong(DEMO_ID, newId());
  await deleteForGood(DEMO_ID);
  return openDemo();
}

export async function fetched(url: string): Promise<Response> {
  const response = await fetch(url);
  if (!response.ok) throw new Error(`The server has no ${url}.`);
  return response;
}
