import { entryFrom, History, storedEntry, validatedSong, type JournalChange, type Song } from '@essim/core';
import { db, type SongRow } from './db';

/** The song shelf and the journal in the database. Every write is one transaction: a dying tab leaves either all of it or none. */

export async function listSongs(): Promise<SongRow[]> {
  const rows = await db.songs.orderBy('changedAt').reverse().toArray();
  return rows.filter(r => !r.deletedAt);
}

export async function addSong(song: Song): Promise<void> {
  // asks the browser not to clear what it keeps when space runs short
  void navigator.storage?.persist?.();
  const now = Date.now();
  await db.songs.put({ id: song.id, name: song.name, document: song, cursor: 0, createdAt: now, changedAt: now });
}

/** @throws DocumentError when the stored document cannot be used, Error when there is none */
export async function loadHistory(id: string): Promise<History> {
  const row = await db.songs.get(id);
  if (!row || row.deletedAt) throw new Error('This song is not on the shelf.');
  const song = validatedSong(row.document);
  const rows = await db.journal.where('songId').equals(id).sortBy('index');
  return new History(song, rows.map(entryFrom), row.cursor);
}

/** Writes one step of a song's history. */
export async function saveChange(song: Song, change: JournalChange): Promise<void> {
  await db.transaction('rw', db.songs, db.journal, async () => {
    if (change.entries.length) {
      await db.journal
        .where('[songId+index]')
        .between([song.id, change.from], [song.id, Infinity], true, true)
        .delete();
      await db.journal.bulkPut(
        change.entries.map((e, i) => ({ songId: song.id, index: change.from + i, ...storedEntry(e) })),
      );
    }
    await db.songs.update(song.id, { name: song.name, document: song, cursor: change.cursor, changedAt: Date.now() });
  });
}

/** Notes how long a song is, for its card. */
export const noteLength = (id: string, seconds: number) => db.songs.update(id, { seconds });

/** Takes a song off the shelf; putBack undoes it. */
export const setAside = (id: string) => db.songs.update(id, { deletedAt: Date.now() });
export const putBack = (id: string) => db.songs.update(id, { deletedAt: undefined });
/** A copy of a song with a journal of its own; recordings are shared. Returns its id. */
export async function duplicateSong(id: string, copyId: string): Promise<string> {
  const row = await db.songs.get(id);
  if (!row) throw new Error('This song is not on the shelf.');
  const name = `${row.name} copy`.slice(0, 200);
  await addSong({ ...validatedSong(row.document), id: copyId, name });
  return copyId;
}

/** Songs taken off the shelf that can still be put back. */
export const listSetAside = async (): Promise<SongRow[]> =>
  (await db.songs.orderBy('changedAt').reverse().toArray()).filter(r => r.deletedAt);

/** Deletes a song for good; its recordings go at the next sweep. */
export async function deleteForGood(id: string): Promise<void> {
  await db.transaction('rw', db.songs, db.journal, db.recorded, async () => {
    await db.songs.delete(id);
    await db.journal.where('songId').equals(id).delete();
    await db.recorded.where('songId').equals(id).delete();
  });
}

export const renameSong = async (id: string, name: string) => {
  const row = await db.songs.get(id);
  if (row) await db.songs.update(id, { name, document: { ...(row.document as Song), name } });
};
