import { SetTrack } from '@essim/core';
import { now, open, song, take, track } from '../testing';
import { db } from './db';
import { run, undo, written } from './session';
import {
  addSong,
  deleteForGood,
  duplicateSong,
  listSetAside,
  listSongs,
  loadHistory,
  putBack,
  renameSong,
  setAside,
} from './songs';
import { keepSource, loadSource, sourceFacts, sourceName } from './sources';
import { fits, inBytes, isFull, songBytes, sourceSizes, sweep } from './space';

const made = () => song([track('lead', [take('a'), take('b')])]);
beforeEach(() => Promise.all(db.tables.map(t => t.clear())));

describe('the shelf', () => {
  it('keeps every step of a song, and opens it again where it was', async () => {
    await open(made());
    run(new SetTrack('Rename', 'lead', { name: 'Main' }));
    run(new SetTrack('Louder', 'lead', { levelDb: 3 }));
    undo();
    await written();
    const history = await loadHistory('quay');
    expect(history.song).toEqual(now());
    expect(history.song.tracks[0]).toMatchObject({ name: 'Main', levelDb: 0 });
    expect([history.canUndo, history.canRedo]).toEqual([true, true]);
    expect(history.redo()!.history.song.tracks[0].levelDb).toBe(3);
  });

  it('forgets what was undone when something else is done', async () => {
    await open(made());
    run(new SetTrack('Louder', 'lead', { levelDb: 3 }));
    undo();
    run(new SetTrack('Softer', 'lead', { levelDb: -3 }));
    await written();
    const history = await loadHistory('quay');
    expect(history.canRedo).toBe(false);
    expect(history.entries.map(e => e.command.label)).toEqual(['Softer']);
  });

  it('takes a song off, puts it back, and deletes it for good with its journal', async () => {
    await open(made());
    run(new SetTrack('Louder', 'lead', { levelDb: 3 }));
    await written();
    await setAside('quay');
    expect(await listSongs()).toEqual([]);
    expect((await listSetAside()).map(r => r.id)).toEqual(['quay']);
    await expect(loadHistory('quay')).rejects.toThrow('not on the shelf');
    await putBack('quay');
    expect((await listSongs()).map(r => r.id)).toEqual(['quay']);
    await deleteForGood('quay');
    expect(await db.journal.count()).toBe(0);
    await expect(loadHistory('quay')).rejects.toThrow('not on the shelf');
  });

  it('copies a song with a journal of its own', async () => {
    await addSong(made());
    await duplicateSong('quay', 'other');
    await renameSong('other', 'Second');
    const rows = await listSongs();
    expect(rows.map(r => r.name).sort()).toEqual(['Quay', 'Second']);
    expect((await loadHistory('other')).song.name).toBe('Second');
    await expect(duplicateSong('nobody', 'x')).rejects.toThrow('not on the shelf');
  });

  it('refuses a stored document that is broken, naming the field', async () => {
    await addSong(made());
    await db.songs.update('quay', { document: { ...made(), sampleRate: 'fast' } });
    await expect(loadHistory('quay')).rejects.toThrow(/sampleRate/);
  });
});

describe('recordings', () => {
  const samples = () => [Float32Array.from({ length: 480 }, (_, i) => Math.sin(i))];

  it('are kept once under the name of their samples', async () => {
    const id = await keepSource('one.wav', 48000, samples(), '24-bit WAV at 48 kHz');
    expect(id).toBe(await sourceName(samples()));
    expect(await keepSource('the same.wav', 48000, samples())).toBe(id);
    expect(await db.sources.count()).toBe(1);
    expect(await sourceFacts(id)).toEqual({ id, name: 'one.wav', origin: '24-bit WAV at 48 kHz', channelCount: 1 });
    expect((await loadSource(id)).channels[0]).toEqual(samples()[0]);
    await expect(loadSource('f'.repeat(64))).rejects.toThrow('missing from the browser’s storage');
  });

  it('are swept away when neither a song nor its journal needs them', async () => {
    const used = await keepSource('used.wav', 48000, samples());
    const undone = await keepSource('undone.wav', 48000, [samples()[0].map(v => v / 2)]);
    const lost = await keepSource('lost.wav', 48000, [samples()[0].map(v => v / 3)]);
    await db.readings.bulkPut([
      { key: `${used} auto v1`, reading: null as never },
      { key: `${lost} auto v1`, reading: null as never },
    ]);
    await open(song([track('lead', [take('a', { sourceId: used })])]));
    run(new SetTrack('Bring in', 'lead', { takes: [take('b', { sourceId: undone })] } as never));
    undo();
    await written();
    await sweep();
    expect((await db.sources.toCollection().primaryKeys()).sort()).toEqual([used, undone].sort());
    expect(await sourceFacts(lost)).toBeUndefined();
    expect(await db.readings.toCollection().primaryKeys()).toEqual([`${used} auto v1`]);
  });

  it('are counted in bytes, once however many takes use them', async () => {
    const id = await keepSource('one.wav', 48000, samples());
    const both = song([track('lead', [take('a', { sourceId: id }), take('b', { sourceId: id })])]);
    expect(songBytes(both, await sourceSizes())).toBe(480 * 4);
    expect([999, 1_500_000, 1.53e9, 2e10].map(inBytes)).toEqual(['1 KB', '2 MB', '1.5 GB', '20 GB']);
  });

  it('are tried for room by writing, which leaves nothing behind', async () => {
    expect(await fits(40_000)).toBe(true);
    expect(await db.sources.count()).toBe(0);
    const full = Object.assign(new Error('no more'), { name: 'QuotaExceededError' });
    const put = jest.spyOn(db.sources, 'put').mockRejectedValueOnce(full);
    expect(await fits(40_000)).toBe(false);
    put.mockRejectedValueOnce(new Error('something else'));
    await expect(fits(40_000)).rejects.toThrow('something else');
    put.mockRestore();
    expect([isFull(full), isFull(new Error('no'))]).toEqual([true, false]);
  });
});
