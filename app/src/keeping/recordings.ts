import { packSamples, type Samples } from '@essim/core';
import { shared } from '../shared-memory';
import { originOf, readSoundFile } from '../sound-files/sound-file';
import { db } from './db';
import { DEMO_ID, describeDemo, fetched } from './demo';
import { heldSource, keepSource, loadSource, type Recorded } from './sources';

/** Recordings of songs; one of the demo song's is fetched from the server the first time. For workers: recordings are large. */

/** @throws Error when it is nowhere to be had */
export const recording = async (songId: string, sourceId: string): Promise<Recorded> =>
  (await fromDemo(songId, sourceId)) ?? loadSource(sourceId);

/** Its channels as they are held, in shared memory. @throws Error when it is nowhere to be had */
export async function heldRecording(songId: string, sourceId: string): Promise<Samples[]> {
  const fetched = await fromDemo(songId, sourceId);
  return fetched?.channels.map(c => shared(packSamples(c))) ?? heldSource(sourceId);
}

/** A recording of the demo song that is not kept yet; null for any other. */
async function fromDemo(songId: string, sourceId: string): Promise<Recorded | null> {
  if (await db.facts.get(sourceId)) return null;
  const take = (await describeDemo()).tracks.flatMap(t => t.takes).find(k => k.sourceId === sourceId);
  if (!take && songId !== DEMO_ID) return null;
  if (!take)
    throw new Error(
      'A recording of this demo song belongs to another version of Essim. Delete the song and open it again from the shelf.',
    );
  const read = await readSoundFile(await (await fetched(`/demo/${take.file}`)).blob(), null);
  if ('error' in read) throw new Error(`The demo file ${take.file} could not be read: ${read.error}.`);
  // kept in the background: nobody waits for the disk
  void keepSource(take.file, read.sampleRate, read.channels, originOf(read)).catch(() => {});
  return { id: sourceId, name: take.file, sampleRate: read.sampleRate, channels: read.channels };
}
