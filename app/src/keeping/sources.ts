import { packSamples, READING_VERSION, type NoteFacts, type Reading, type Samples, type Take } from '@essim/core';
import { ownReading, shared, sharedReading } from '../shared-memory';
import { held, stored, unpacked, type Packed } from './packing';
import { db, factsOf, type KeptFacts, type SourceFacts, type SourceRow } from './db';

/** SHA-256 over all channels' samples, as hex: the name of a source. */
export async function sourceName(channels: Float32Array[]): Promise<string> {
  const digest = await crypto.subtle.digest('SHA-256', oneAfterTheOther(channels));
  return Array.from(new Uint8Array(digest), b => b.toString(16).padStart(2, '0')).join('');
}

/** The bytes of all channels; of one alone as they lie. */
function oneAfterTheOther(channels: Float32Array[]): Uint8Array<ArrayBuffer> {
  const bytesOf = ({ buffer, byteOffset, byteLength }: Float32Array) => new Uint8Array(buffer, byteOffset, byteLength);
  const [first] = channels;
  if (channels.length === 1 && first.buffer instanceof ArrayBuffer) return bytesOf(first) as Uint8Array<ArrayBuffer>;
  const bytes = new Uint8Array(channels.length * first.byteLength);
  channels.forEach((c, i) => bytes.set(bytesOf(c), i * first.byteLength));
  return bytes;
}

/** A recording with its samples at hand. */
export interface Recorded extends Pick<SourceRow, 'id' | 'name' | 'sampleRate' | 'origin'> {
  channels: Float32Array[];
}

export const rowOf = (facts: Pick<SourceRow, 'id' | 'name' | 'sampleRate' | 'origin'>, each: Packed[]): SourceRow => ({
  ...facts,
  packed: each,
  bytes: each.reduce((sum, c) => sum + c.samples.size, 0),
});

/** Keeps a recording; the same samples are kept once. @returns its name */
export const keepSource = async (...recording: Parameters<typeof keepHeld>): Promise<string> =>
  (await keepHeld(...recording)).id;

/** The same. @returns its samples too, as they are held */
export async function keepHeld(
  name: string,
  sampleRate: number,
  channels: Float32Array[],
  origin?: string,
): Promise<{ id: string; each: Samples[] }> {
  // where a browser names it in another thread it is packed meanwhile
  const naming = sourceName(channels);
  const each = channels.map(packSamples);
  const id = await naming;
  if (await db.facts.get(id)) return { id, each };
  const row = rowOf({ id, name, sampleRate, ...(origin ? { origin } : {}) }, each.map(stored));
  await db.transaction('rw', db.sources, db.facts, async () => {
    await db.sources.put(row);
    await db.facts.put(factsOf(row));
  });

  return { id, each };
}

/** Its channels as they are held, in shared memory. @throws Error when the recording is not in the database, or cannot be read from it */
export async function heldSource(id: string): Promise<Samples[]> {
  const row = await rowFor(id);
  return row.channels?.map(c => shared(packSamples(c))) ?? each(row, held);
}

/** @throws Error when the recording is not in the database, or cannot be read from it */
export async function loadSource(id: string): Promise<Recorded> {
  const row = await rowFor(id);
  const { name, sampleRate, origin } = row;
  const channels = row.channels ?? (await each(row, unpacked));
  return { id, name, sampleRate, channels, ...(origin ? { origin } : {}) };
}

async function rowFor(id: string): Promise<SourceRow> {
  const row = await db.sources.get(id);
  if (!row) throw new Error('A recording of this song is missing from the browser’s storage.');
  return row;
}

/** Its channels, one after the other: not more than one is on its way. */
async function each<T>(row: SourceRow, one: (channel: Packed) => Promise<T>): Promise<T[]> {
  const channels: T[] = [];
  try {
    for (const channel of row.packed ?? []) channels.push(await one(channel));
  } catch (cause) {
    throw new Error('A recording of this song cannot be read from the browser’s storage any more.', { cause });
  }
  return channels;
}

/** What of a take its reading depends on. */
export type ReadFrom = Pick<Take, 'sourceId' | 'range' | 'channels'>;
const readingKey = ({ sourceId, range, channels }: ReadFrom) =>
  // both channels together are the usual case, and were the only one in version 1 of the document
  `${sourceId} ${range}${channels === 'left' || channels === 'right' ? ` ${channels}` : ''} v${READING_VERSION}`;
/** A take's reading in shared memory, when it is kept. For workers: what a reading leaves behind ends with them. */
export async function cachedReading(take: ReadFrom): Promise<Reading | undefined> {
  const kept = await db.readings.get(readingKey(take));
  return kept && sharedReading(kept.reading);
}
/** A take's reading when it is kept, with what its notes were found to be where that is kept for these corrections. */
export async function keptTake(
  take: ReadFrom,
  of: string,
): Promise<{ reading: Reading; notes?: NoteFacts[] } | undefined> {
  const kept = await db.readings.get(readingKey(take));
  if (!kept) return undefined;
  const reading = sharedReading(kept.reading);
  return kept.facts?.of === of ? { reading, notes: kept.facts.notes } : { reading };
}
export async function keepFacts(take: ReadFrom, facts: KeptFacts): Promise<void> {
  const row = await db.readings.get(readingKey(take));
  if (row) await db.readings.put({ ...row, facts });
}

export async function cacheReading(take: ReadFrom, reading: Reading): Promise<void> {
  await db.readings.put({ key: readingKey(take), reading: ownReading(reading) });
}

/** What a recording is; undefined while it is not kept here. */
export const sourceFacts = (id: string): Promise<SourceFacts | undefined> => db.facts.get(id);

/** Forgets recordings again that were kept a moment ago. */
export const dropSources = (ids: readonly string[]): Promise<void> =>
  db.transaction('rw', db.sources, db.facts, async () => {
    await db.sources.bulkDelete([...ids]);
    await db.facts.bulkDelete([...ids]);
  });
