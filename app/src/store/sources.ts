import { READING_VERSION, type Range, type Reading } from '@essim/core';
import { db, type SourceRow } from './db';

/** SHA-256 over all channels' samples, as hex: the name of a source. */
export async function sourceName(channels: Float32Array[]): Promise<string> {
  const bytes = new Uint8Array(channels.length * channels[0].byteLength);
  channels.forEach((c, i) => bytes.set(new Uint8Array(c.buffer, c.byteOffset, c.byteLength), i * c.byteLength));
  const digest = await crypto.subtle.digest('SHA-256', bytes);
  return Array.from(new Uint8Array(digest), b => b.toString(16).padStart(2, '0')).join('');
}

/** Keeps a recording; the same samples are kept once. Returns its name. */
export async function keepSource(name: string, sampleRate: number, channels: Float32Array[]): Promise<string> {
  const id = await sourceName(channels);
  if (!(await db.sources.get(id))) await db.sources.put({ id, name, sampleRate, channels });
  return id;
}

/** @throws Error when the recording is not in the database */
export async function loadSource(id: string): Promise<SourceRow> {
  const row = await db.sources.get(id);
  if (!row) throw new Error('A recording of this song is missing from the browser’s storage.');
  return row;
}

const readingKey = (sourceId: string, range: Range) => `${sourceId} ${range} v${READING_VERSION}`;
export const cachedReading = async (sourceId: string, range: Range): Promise<Reading | undefined> =>
  (await db.readings.get(readingKey(sourceId, range)))?.reading;
export const cacheReading = (sourceId: string, range: Range, reading: Reading) =>
  db.readings.put({ key: readingKey(sourceId, range), reading });
