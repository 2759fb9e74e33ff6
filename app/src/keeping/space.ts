import { alignmentNames, recordingsNamedIn, recordingsOf, type Song } from '@essim/core';
import { db } from './db';
import { packed } from './packing';
import { rowOf } from './sources';
import { whenNothingComesIn } from './locks';

/** Room in the browser's storage. */

/** Free bytes, with a margin kept for documents; null when the browser does not tell. */
export async function freeBytes(): Promise<number | null> {
  const estimate = await navigator.storage?.estimate?.();
  if (estimate?.quota === undefined) return null;
  return Math.max(0, (estimate.quota - (estimate.usage ?? 0)) * 0.97 - 5e6);
}

/** Name of what is written only to see whether it fits. */
const PROBE = 'probe';

/** Whether an error says that storage is full. */
export const isFull = (error: unknown): boolean =>
  error instanceof Error &&
  /quota/i.test(`${error.name} ${error.message} ${String((error as { inner?: Error }).inner)}`);

/** Whether so many bytes can be kept. Browsers may not tell how much is free, so they are written and taken away again. */
export async function fits(bytes: number): Promise<boolean> {
  const free = await freeBytes();
  if (free !== null && free < bytes) return false;
  const samples = new Float32Array(Math.ceil(bytes / 4));
  // noise, for what can be packed takes no room
  let seed = 1;
  for (let i = 0; i < samples.length; i++) samples[i] = seed = (seed * 16807) % 2147483647;
  try {
    await db.sources.put(rowOf({ id: PROBE, name: PROBE, sampleRate: 48000 }, [packed(samples)]));
    return true;
  } catch (error) {
    if (isFull(error)) return false;
    throw error;
  } finally {
    await db.sources.delete(PROBE);
  }
}

export interface Space {
  used: number;
  free: number | null;
  /** Whether the browser has promised not to clear it. */
  persistent: boolean;
}

export async function spaceNow(): Promise<Space> {
  const estimate = await navigator.storage?.estimate?.();
  return {
    used: estimate?.usage ?? 0,
    free: await freeBytes(),
    persistent: (await navigator.storage?.persisted?.()) ?? false,
  };
}

/** @example inBytes(1.53e9) // '1.5 GB' */
export function inBytes(bytes: number): string {
  if (bytes >= 1e9) return `${(bytes / 1e9).toFixed(bytes >= 1e10 ? 0 : 1)} GB`;
  if (bytes >= 1e6) return `${Math.round(bytes / 1e6)} MB`;
  return `${Math.max(1, Math.round(bytes / 1e3))} KB`;
}

/** Bytes of every recording, without loading any. */
export async function sourceSizes(): Promise<Map<string, number>> {
  const [ids, sizes] = await Promise.all([
    db.sources.orderBy('bytes').primaryKeys(),
    db.sources.orderBy('bytes').keys(),
  ]);
  return new Map(ids.map((id, i) => [id, sizes[i] as number]));
}

/** Bytes of the recordings a song uses; those not fetched yet count nothing. */
export const songBytes = (song: Song, sizes: ReadonlyMap<string, number>): number =>
  recordingsOf(song).reduce((s, id) => s + (sizes.get(id) ?? 0), 0);

/**
 * Deletes recordings, readings and alignments no song needs: neither its document nor anything its journal could bring back. While
 * recordings come in, in any tab, nothing is swept: they are not named by any song yet. @returns whether it was swept
 */
export const sweep = (): Promise<boolean> => whenNothingComesIn(sweepNow);

async function sweepNow(): Promise<void> {
  await sweepAlignments();
  await db.transaction('rw', [db.songs, db.journal, db.sources, db.facts, db.readings], async () => {
    const needed = new Set<string>();
    const note = (value: unknown) => recordingsNamedIn(value).forEach(id => needed.add(id));
    const songs = await db.songs.toArray();
    for (const row of songs) {
      if (row.needs) row.needs.forEach(id => needed.add(id));
      else {
        // of before songs knew what they need
        note(row.document);
        await db.journal.where('songId').equals(row.id).each(note);
      }
    }
    const ids = await db.sources.toCollection().primaryKeys();
    const unneeded = ids.filter(id => !needed.has(id));
    await db.sources.bulkDelete(unneeded);
    await db.facts.bulkDelete(unneeded);
    const readings = await db.readings.toCollection().primaryKeys();
    await db.readings.bulkDelete(readings.filter(key => !needed.has(key.slice(0, 64))));
  });
}

/** Deletes alignments that no song and no journal holds. Looks journals through only when there is one that no document holds. */
async function sweepAlignments(): Promise<void> {
  await db.transaction('rw', [db.songs, db.journal, db.alignments], async () => {
    const ids = new Set(await db.alignments.toCollection().primaryKeys());
    const known = (stored: unknown) => alignmentNames(stored).forEach(id => ids.delete(id));
    await db.songs.each(row => known(row.document));
    if (!ids.size) return;
    await db.journal.each(row => known(row.entry));
    await db.alignments.bulkDelete([...ids]);
  });
}
