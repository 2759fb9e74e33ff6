import {
  alignmentNames,
  DocumentError,
  entryFrom,
  History,
  recordingsNamedIn,
  Song,
  storedEntry,
  Track,
  validatedSong,
  withAlignments,
  withoutAlignments,
  withoutParts,
  type FoundAlignment,
  type JournalChange,
  type StoredHistory,
} from '@essim/core';
import { db, type JournalRow, type SongRow } from './db';
import { newId } from './ids';

/** The song shelf and the journal in the database. Every write is one transaction: a dying tab leaves either all of it or none. */

/** Another tab has written a song since it was loaded here. */
export class ConflictError extends Error {
  override name = 'ConflictError';
}

/** What each song is known to be in the database, to see whether another tab wrote it meanwhile. */
const revisions = new Map<string, number>();
/** How many entries each song's journal is known to have there. */
const lengths = new Map<string, number>();

export async function listSongs(): Promise<SongRow[]> {
  const rows = await db.songs.orderBy('changedAt').reverse().toArray();
  return rows.filter(r => !r.deletedAt);
}

async function keepAlignments(found: ReadonlyMap<string, FoundAlignment>): Promise<void> {
  if (found.size) await db.alignments.bulkPut([...found].map(([id, alignment]) => ({ id, alignment })));
}

async function alignmentsOf(...stored: unknown[]): Promise<Map<string, unknown>> {
  const names = [...new Set(stored.flatMap(s => [...alignmentNames(s)]))];
  const rows = names.length ? await db.alignments.bulkGet(names) : [];
  return new Map(rows.flatMap(r => (r ? [[r.id, r.alignment] as const] : [])));
}

/** @param history the journal that comes along, with steps of this song */
export async function addSong(song: Song, history: StoredHistory | null = null): Promise<void> {
  // asks the browser not to clear what it keeps when space runs short
  void navigator.storage?.persist?.();
  const now = Date.now();
  const { stored, alignments } = withoutAlignments(withoutParts(song));
  revisions.delete(song.id);
  lengths.delete(song.id);
  const rows = (history?.entries ?? []).map((entry, i) => storedRow(song.id, i, entry));
  await db.transaction('rw', db.songs, db.journal, db.alignments, async () => {
    await keepAlignments(alignments);
    for (const r of rows) await keepAlignments(r.alignments);
    if (rows.length) await db.journal.bulkPut(rows.map(r => r.row));
    await db.songs.put({
      id: song.id,
      name: song.name,
      document: stored,
      cursor: history?.cursor ?? 0,
      revision: 0,
      needs: recordingsNamedIn([stored, rows.map(r => r.row)]),
      createdAt: now,
      changedAt: now,
    });
  });
}

/** A stored document as a song. @throws DocumentError when it cannot be used */
export const songFrom = async (stored: unknown): Promise<Song> =>
  validatedSong(withAlignments(stored, await alignmentsOf(stored)));

/**
 * A song with its journal. A journal that cannot be read is set aside: the song opens without it, and the notice says so.
 * @param only looking: nothing is written
 * @throws DocumentError when the stored document cannot be used, Error when there is none
 */
export async function loadHistory(id: string, only = false): Promise<{ history: History; notice: string | null }> {
  const row = await db.songs.get(id);
  if (!row || row.deletedAt) throw new Error('This song is not on the shelf.');
  const song = await songFrom(row.document);
  const rows = await db.journal.where('songId').equals(id).sortBy('index');
  revisions.set(id, row.revision ?? 0);
  lengths.set(id, rows.length ? rows[rows.length - 1].index + 1 : 0);
  try {
    const kept = await alignmentsOf(rows.map(r => r.entry));
    const entries = rows.map(r => entryFrom(withAlignments(r.entry, kept)));
    const history = new History(song, entries, Math.min(row.cursor, entries.length));
    requireFits(history);
    return { history, notice: null };
  } catch (error) {
    if (!only) await setJournalAside(row, rows);
    const why = error instanceof DocumentError ? error.message : String(error);
    return {
      history: new History(song),
      notice: `The undo history of this song could not be read (${why}) and was set aside. The song itself is whole.`,
    };
  }
}

/** A journal of another song, or of another state of it, must not be used. @throws DocumentError */
function requireFits(history: History): void {
  history.undo();
  history.redo();
}

/** Keeps a journal that cannot be read out of the way, for whoever can. */
async function setJournalAside(row: SongRow, rows: JournalRow[]): Promise<void> {
  await db.transaction('rw', db.songs, db.journal, db.setAside, async () => {
    if (rows.length) await db.setAside.add({ songId: row.id, at: Date.now(), rows });
    await db.journal.where('songId').equals(row.id).delete();
    await db.songs.update(row.id, { cursor: 0 });
  });
}

/** @param entry in its stored form */
const storedRow = (songId: string, index: number, entry: unknown) => {
  const { stored, alignments } = withoutAlignments(entry);
  return { row: { songId, index, entry: stored } satisfies JournalRow, alignments };
};

/** What several changes of a journal come to: where it is cut, and what comes there. */
function combined(changes: readonly JournalChange[]): JournalChange {
  return changes.reduce((sum, next) => ({
    from: Math.min(sum.from, next.from),
    entries: [...sum.entries.slice(0, Math.max(0, next.from - sum.from)), ...next.entries],
    cursor: next.cursor,
  }));
}

/**
 * Writes what was done to a song since the last time.
 * @throws ConflictError when another tab wrote it meanwhile; nothing is written then
 */
export async function saveChanges(song: Song, changes: readonly JournalChange[]): Promise<void> {
  const { from, entries, cursor } = combined(changes);
  const rows = entries.map((e, i) => storedRow(song.id, from + i, storedEntry(e)));
  const { stored, alignments } = withoutAlignments(withoutParts(song));
  const revision = await db.transaction('rw', db.songs, db.journal, db.alignments, async () => {
    const row = await db.songs.get(song.id);
    if (!row) throw new Error('this song is no longer on the shelf');
    const known = revisions.get(song.id);
    if (known !== undefined && (row.revision ?? 0) !== known) throw new ConflictError('another tab wrote this song');
    const needs = new Set([...(row.needs ?? []), ...recordingsNamedIn([stored, rows.map(r => r.row)])]);
    const next = (row.revision ?? 0) + 1;
    // what is replaced goes; as a rule nothing is, and each turn of a transaction waits for a page that is busy drawing
    if ((lengths.get(song.id) ?? Infinity) > from)
      await db.journal.where('[songId+index]').between([song.id, from], [song.id, Infinity], true, true).delete();
    await Promise.all([
      keepAlignments(alignments),
      ...rows.map(r => keepAlignments(r.alignments)),
      rows.length ? db.journal.bulkPut(rows.map(r => r.row)) : null,
      db.songs.put({
        ...row,
        name: song.name,
        document: stored,
        cursor,
        revision: next,
        needs: [...needs],
        changedAt: Date.now(),
      }),
    ]);
    return next;
  });
  revisions.set(song.id, revision);
  lengths.set(song.id, from + entries.length);
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
  await addSong({ ...(await songFrom(row.document)), id: copyId, name });
  return copyId;
}

/** Songs taken off the shelf that can still be put back. */
export const listSetAside = async (): Promise<SongRow[]> =>
  (await db.songs.orderBy('changedAt').reverse().toArray()).filter(r => r.deletedAt);

/** Deletes a song for good; its recordings go at the next sweep. */
export async function deleteForGood(id: string): Promise<void> {
  revisions.delete(id);
  await db.transaction('rw', db.songs, db.journal, db.recorded, db.setAside, async () => {
    await db.songs.delete(id);
    await db.journal.where('songId').equals(id).delete();
    await db.recorded.where('songId').equals(id).delete();
    await db.setAside.where('songId').equals(id).delete();
  });
}

/** Renames a song from the shelf. */
export async function renameSong(id: string, name: string): Promise<void> {
  const revision = await db.transaction('rw', db.songs, async () => {
    const row = await db.songs.get(id);
    if (!row) return null;
    const next = (row.revision ?? 0) + 1;
    await db.songs.update(id, { name, document: { ...(row.document as Song), name }, revision: next });
    return next;
  });
  // only what is written counts
  if (revision !== null && revisions.has(id)) revisions.set(id, revision);
}

/** A song with one empty track, to begin by recording. Returns its id. */
export async function emptySong(sampleRate = 48000): Promise<string> {
  const lead = Object.assign(new Track(), { id: newId(), name: 'Lead', role: 'lead' });
  const song = Object.assign(new Song(), { id: newId(), name: 'New song', sampleRate, tracks: [lead] });
  await addSong(song);
  return song.id;
}
