import { setTrack } from '@essim/core';
import { change, redo, undo, unwritten, useSession, written } from '../open-song';
import { saveAgain } from '../open-song/saving';
import { now, open, song, sung, take, track } from '../testing';
import { db } from './db';
import { deleteForGood, duplicateSong, listSongs, loadHistory, putBack, renameSong, setAside } from './songs';
import { cacheReading, cachedReading, keepFacts, keepSource, loadSource } from './sources';

/**
 * Storage that is full at the first write, at the second, and so on to the last of a working day: whatever is refused, nothing that was
 * there is lost, nothing is half there, and once there is room again all that was done is kept.
 */

type Write = 'put' | 'add';
const WRITES: Write[] = ['put', 'add'];
/** How the browser says that there is no room: at the write itself, or when all of it is to be kept. */
type Refusal = 'at the write' | 'at the end';

/** Lets so many writes through and refuses the next one. @returns how many there were, and what lets all of them through */
function refuse(after: number, how: Refusal): { count(): number; end(): void } {
  let seen = 0;
  const real = WRITES.map(name => IDBObjectStore.prototype[name]);
  WRITES.forEach((name, i) => {
    IDBObjectStore.prototype[name] = function (this: IDBObjectStore, ...args: [unknown, IDBValidKey?]) {
      if (seen++ !== after) return real[i].apply(this, args);
      if (how === 'at the write') throw new DOMException('no more room', 'QuotaExceededError');
      const request = real[i].apply(this, args);
      const { transaction } = this;
      request.addEventListener('success', () => transaction.abort());
      return request;
    };
  });
  return {
    count: () => seen,
    end: () => WRITES.forEach((name, i) => (IDBObjectStore.prototype[name] = real[i])),
  };
}

const samples = (v: number) => [new Float32Array(480).fill(v)];
const tables = [db.songs, db.journal, db.alignments, db.sources, db.facts, db.readings, db.recorded, db.setAside];

/** A working day. What is refused is done once more when there is room: as its user would. @returns the songs that must be there */
async function day(room: () => void): Promise<string[]> {
  const attempt = async <T>(work: () => Promise<T>): Promise<T> => {
    try {
      return await work();
    } catch {
      await everythingIsWhole();
      room();
      return work();
    }
  };
  const ids = [
    await attempt(() => keepSource('a', 48000, samples(0.1))),
    await attempt(() => keepSource('b', 48000, samples(0.2))),
  ];
  const made = song([track('lead', [take('a', { sourceId: ids[0] }), take('b', { sourceId: ids[1] })])]);
  const reading = sung(60, [2]).auto!;
  await attempt(() => cacheReading(made.tracks[0].takes[0], reading));
  await attempt(() => keepFacts(made.tracks[0].takes[0], { of: 'x', notes: [] }));
  await attempt(() => open(made));
  const saves = async (work: () => void) => {
    work();
    await written();
    if (!unwritten()) return;
    // said, and everything is still in hand
    expect(useSession.getState().saved).toBe('failed');
    await everythingIsWhole();
    room();
    saveAgain();
    await written();
    expect(useSession.getState().saved).toBe('saved');
  };
  for (let i = 1; i <= 3; i++) await saves(() => change(`Level ${i}`, setTrack('lead', { levelDb: -i })));
  await saves(() => undo());
  await saves(() => redo());
  await saves(() => {
    undo();
    change('Pan', setTrack('lead', { pan: 0.5 }));
  });
  await attempt(() => renameSong('quay', 'Another name'));
  await saves(() => change('Mute', setTrack('lead', { mute: true })));
  await attempt(() => duplicateSong('quay', 'copy'));
  await attempt(() => setAside('copy'));
  await attempt(() => putBack('copy'));
  await attempt(() => duplicateSong('quay', 'second'));
  await attempt(() => deleteForGood('second'));
  return ids;
}

/** Nothing is half there. */
async function everythingIsWhole(): Promise<void> {
  for (const { id } of await listSongs()) {
    const { history, notice } = await loadHistory(id, true);
    expect(notice).toBeNull();
    expect(history.song.tracks[0].takes).toHaveLength(2);
  }
  const sources = await db.sources.toCollection().primaryKeys();
  expect(await db.facts.toCollection().primaryKeys()).toEqual(sources);
  const songs = new Set(await db.songs.toCollection().primaryKeys());
  for (const row of await db.journal.toArray()) expect(songs.has(row.songId)).toBe(true);
}

const clear = () => Promise.all(tables.map(t => t.clear()));
beforeEach(clear);

describe.each<Refusal>(['at the write', 'at the end'])('storage that is full %s', how => {
  it('loses nothing, whichever write is refused', async () => {
    let writes = Infinity;
    for (let after = 0; after <= writes; after++) {
      await clear();
      const full = refuse(after, how);
      try {
        const ids = await day(full.end);
        if (after === 0) writes = 60;
        const { history } = await loadHistory('quay', true);
        expect(history.song).toEqual(now());
        expect(history.song.tracks[0]).toMatchObject({ levelDb: -2, pan: 0.5, mute: true });
        expect(history.entries.map(e => e.label)).toEqual(['Level 1', 'Level 2', 'Pan', 'Mute']);
        for (const id of ids) expect((await loadSource(id)).channels[0]).toHaveLength(480);
        expect((await cachedReading(now().tracks[0].takes[0]))?.notes.length).toBeGreaterThan(0);
        expect((await listSongs()).map(r => r.id).sort()).toEqual(['copy', 'quay']);
        await everythingIsWhole();
        if (full.count() <= after) writes = after - 1;
      } finally {
        full.end();
      }
    }
    // every write was refused once
    expect(writes).toBeGreaterThan(20);
    expect(writes).toBeLessThan(60);
  });
});
