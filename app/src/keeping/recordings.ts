import { originOf, readSoundFile } from '../sound-files/sound-file';
import { db } from './db';
import { DEMO_ID, describeDemo, fetched } from './demo';
import { keepSource, loadSource, type Recorded } from './sources';

/** A recording of a song; one of the demo song's is fetched from the server the first time. For workers: recordings are large. */
export async function recording(songId: string, sourceId: string): Promise<Recorded> {
  if (await db.facts.get(sourceId)) return loadSource(sourceId);
  const take = (await describeDemo()).tracks.flatMap(t => t.takes).find(k => k.sourceId === sourceId);
  if (!take && songId !== DEMO_ID) return loadSource(sourceId);
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
