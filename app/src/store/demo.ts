import { Chord, Song, Take, Track, Word, type Role } from '@essim/core';
import { db } from './db';
import { filesJob } from './export';
import { newId } from './importing';
import { addSong } from './songs';
import { keepSource } from './sources';

/** What the server tells of the demo song. */
interface DemoDescription {
  name: string;
  bpm: number;
  chords: string[];
  tracks: { name: string; role: Role; levelDb: number; pan: number; takes: { name: string; file: string; words: { text: string; start: number; end: number }[] }[] }[];
}

export const DEMO_ID = 'ferry-lamp';

/** Opens the demo song, making it from the files the server ships the first time. Returns its id. */
export async function openDemo(onProgress: (share: number) => void): Promise<string> {
  const there = await db.songs.get(DEMO_ID);
  if (there) {
    if (there.deletedAt) await db.songs.update(DEMO_ID, { deletedAt: undefined });
    return DEMO_ID;
  }
  const description = (await (await fetched('/demo/song.json')).json()) as DemoDescription;
  const files = [...new Set(description.tracks.flatMap(t => t.takes.map(k => k.file)))];
  let done = 0;
  const sources = new Map<string, { id: string; sampleRate: number }>();
  for (const file of files) {
    const bytes = new Uint8Array(await (await fetched(`/demo/${file}`)).arrayBuffer());
    const read = await filesJob().read(bytes, null);
    if ('error' in read) throw new Error(`the demo file ${file} could not be read: ${read.error}`);
    sources.set(file, { id: await keepSource(file, read.sampleRate, read.channels), sampleRate: read.sampleRate });
    onProgress(++done / files.length);
  }
  const tracks = description.tracks.map(t => {
    const takes = t.takes.map(k => Object.assign(new Take(), { id: newId(), name: k.name, sourceId: sources.get(k.file)!.id, offsetSeconds: 0, words: k.words.map(w => Object.assign(new Word(), w)) }));
    return Object.assign(new Track(), { id: newId(), name: t.name, role: t.role, levelDb: t.levelDb, pan: t.pan, takes, takeId: takes[0].id });
  });
  const bar = (60 / description.bpm) * 4;
  const chords = description.chords.map((name, i) => Object.assign(new Chord(), { start: i * bar, name })).filter((c, i, all) => !i || c.name !== all[i - 1].name);
  const [{ sampleRate }] = sources.values();
  await addSong(Object.assign(new Song(), { id: DEMO_ID, name: description.name, sampleRate, tempo: { bpm: description.bpm, beatsPerBar: 4, firstBarSeconds: 0 }, chords, tracks }));
  return DEMO_ID;
}

async function fetched(url: string): Promise<Response> {
  const response = await fetch(url);
  if (!response.ok) throw new Error(`the server has no ${url}`);
  return response;
}
