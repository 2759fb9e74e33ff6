import { Chord, Song, Take, Track, Word, type Role } from '@essim/core';
import type { ImportedAudio, ImportFailure } from '../jobs/files.worker';
import { db } from './db';
import { filesJob } from '../jobs/files-client';
import { newId } from './importing';
import { addSong } from './songs';
import { loadSource, keepSource } from './sources';
import type { SourceRow } from './db';

interface DemoTake {
  name: string;
  file: string;
  sourceId: string;
  words: { text: string; start: number; end: number }[];
}

/** What the server tells of the demo song. */
interface DemoDescription {
  name: string;
  sampleRate: number;
  bpm: number;
  chords: string[];
  tracks: { name: string; role: Role; levelDb: number; pan: number; takes: DemoTake[] }[];
}

export const DEMO_ID = 'ferry-lamp';

const describe = async (): Promise<DemoDescription> =>
  (await (await fetched('/demo/song.json')).json()) as DemoDescription;

/** Puts the demo song on the shelf when it is not there. Its recordings follow when they are first needed. Returns its id. */
export async function openDemo(): Promise<string> {
  const there = await db.songs.get(DEMO_ID);
  if (there) {
    if (there.deletedAt) await db.songs.update(DEMO_ID, { deletedAt: undefined });
    return DEMO_ID;
  }
  const demo = await describe();
  const tracks = demo.tracks.map(t => {
    const takes = t.takes.map(k =>
      Object.assign(new Take(), {
        id: newId(),
        name: k.name,
        sourceId: k.sourceId,
        offsetSeconds: 0,
        words: k.words.map(w => Object.assign(new Word(), w)),
      }),
    );
    return Object.assign(new Track(), {
      id: newId(),
      name: t.name,
      role: t.role,
      levelDb: t.levelDb,
      pan: t.pan,
      takes,
      takeId: takes[0].id,
    });
  });
  const bar = (60 / demo.bpm) * 4;
  const chords = demo.chords
    .map((name, i) => Object.assign(new Chord(), { start: i * bar, name }))
    .filter((c, i, all) => !i || c.name !== all[i - 1].name);
  const tempo = { bpm: demo.bpm, beatsPerBar: 4, firstBarSeconds: 0 };
  await addSong(
    Object.assign(new Song(), { id: DEMO_ID, name: demo.name, sampleRate: demo.sampleRate, tempo, chords, tracks }),
  );
  return DEMO_ID;
}

/** A recording of a song; one of the demo song's is fetched from the server the first time. */
export async function recording(songId: string, sourceId: string): Promise<SourceRow> {
  if (songId !== DEMO_ID || (await db.sources.get(sourceId))) return loadSource(sourceId);
  const take = (await describe()).tracks.flatMap(t => t.takes).find(k => k.sourceId === sourceId);
  if (!take)
    throw new Error(
      'A recording of this demo song belongs to another version of Essim. Delete the song and open it again from the shelf.',
    );
  const bytes = new Uint8Array(await (await fetched(`/demo/${take.file}`)).arrayBuffer());
  const read: ImportedAudio | ImportFailure = await filesJob().read(bytes, null);
  if ('error' in read) throw new Error(`The demo file ${take.file} could not be read: ${read.error}.`);
  // kept in the background: nobody waits for the disk
  void keepSource(take.file, read.sampleRate, read.channels).catch(() => {});
  return { id: sourceId, name: take.file, ...read };
}

async function fetched(url: string): Promise<Response> {
  const response = await fetch(url);
  if (!response.ok) throw new Error(`The server has no ${url}.`);
  return response;
}
