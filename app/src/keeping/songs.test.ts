import { addTakes, FoundAlignment, setTrack, type TrackFields } from '@essim/core';
import { now, open, song, take, track } from '../testing';
import { db } from './db';
import { change, undo, useSession, written } from '../open-song';
import { saveAgain } from '../open-song/saving';
import { becomeWriter, whenNothingComesIn, withRecordings } from './locks';
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
import { keepSource, heldSource, loadSource, sourceFacts, sourceName } from './sources';
import { fits, inBytes, isFull, songBytes, sourceSizes, sweep } from './space';

const made = () => song([track('lead', [take('a'), take('b')])]);
const set = (label: string, fields: TrackFields) => change(label, setTrack('lead', fields));
beforeEach(() => Promise.all(db.tables.map(t => t.clear())));

describe('the shelf', () => {
  it('keeps every step of a song, and opens it again where it was', async () => {
    await open(made());
    set('Rename', { name: 'Main' });
    set('Louder', { levelDb: 3 });
    undo();
    await written();
    const { history } = await loadHistory('quay');
    expect(history.song).toEqual(now());
    expect(history.song.tracks[0]).toMatchObject({ name: 'Main', levelDb: 0 });
    expect([history.canUndo, history.canRedo]).toEqual([true, true]);
    expect(history.redo()!.history.song.tracks[0].levelDb).toBe(3);
  });

  it('forgets what was undone when something else is done', async () => {
    await open(made());
    set('Louder', { levelDb: 3 });
    undo();
    set('Softer', { levelDb: -3 });
    await written();
    const { history } = await loadHistory('quay');
    expect(history.canRedo).toBe(false);
    expect(history.entries.map(e => e.label)).toEqual(['Softer']);
  });

  it('takes a song off, puts it back, and deletes it for good with its journal', async () => {
    await open(made());
    set('Louder', { levelDb: 3 });
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
    expect((await loadHistory('other')).history.song.name).toBe('Second');
    await expect(duplicateSong('nobody', 'x')).rejects.toThrow('not on the shelf');
  });

  it('refuses a stored document that is broken, naming the field', async () => {
    await addSong(made());
    await db.songs.update('quay', { document: { ...made(), sampleRate: 'fast' } });
    await expect(loadHistory('quay')).rejects.toThrow(/sampleRate/);
  });
});

describe('a journal', () => {
  it('that cannot be read is set aside, and the song opens', async () => {
    await open(made());
    set('Louder', { levelDb: 3 });
    await written();
    await db.journal.toCollection().modify({ entry: { label: 7 } });
    const { history, notice } = await loadHistory('quay');
    expect(history.song.tracks[0].levelDb).toBe(3);
    expect(history.canUndo).toBe(false);
    expect(notice).toMatch(/set aside/);
    expect(await db.journal.count()).toBe(0);
    expect((await db.setAside.toArray())[0].rows).toHaveLength(1);
    expect((await loadHistory('quay')).notice).toBeNull();
  });

  it('of an older Essim is set aside too', async () => {
    await open(made());
    await db.journal.put({ songId: 'quay', index: 0, command: {}, inverse: {} } as never);
    await db.songs.update('quay', { cursor: 1 });
    expect((await loadHistory('quay')).notice).toMatch(/set aside/);
  });

  it('holds the name of an alignment, which is kept once', async () => {
    await open(song([track('lead', [take('a')]), track('ash', [take('b')], { followsId: 'lead' })]));
    const found = Object.assign(new FoundAlignment(), {
      stamp: 'x',
      points: Array.from({ length: 2000 }, (_, i) => i),
      apart: [],
      rests: [],
      confidence: 1,
    });
    change('Align', setTrack('ash', { found }));
    for (const pan of [0.1, 0.2, 0.3]) set('Pan', { pan });
    await written();
    const rows = await db.journal.toArray();
    expect(JSON.stringify(rows).length).toBeLessThan(2500);
    expect(await db.alignments.count()).toBe(1);
    const { history } = await loadHistory('quay');
    expect(history.song.tracks[1].found!.points).toEqual(found.points);
    await sweep();
    expect(await db.alignments.count()).toBe(1);
    await deleteForGood('quay');
    await sweep();
    expect(await db.alignments.count()).toBe(0);
  });

  it('two changes of one kind before a reload and one long after it are two steps', async () => {
    await open(made());
    change('Louder', setTrack('lead', { levelDb: 1 }), { kind: 'level' });
    change('Louder', setTrack('lead', { levelDb: 2 }), { kind: 'level' });
    await written();
    const { history } = await loadHistory('quay');
    expect(history.entries).toHaveLength(1);
    const later = { kind: 'level', time: history.entries[0].time + 5000 };
    expect(history.to('Louder', setTrack('lead', { levelDb: 3 })(history.song), later)!.history.entries).toHaveLength(
      2,
    );
  });
});

describe('two tabs', () => {
  it('of one song: what another wrote is not written over', async () => {
    await open(made());
    set('Louder', { levelDb: 3 });
    await written();
    await db.songs.update('quay', { revision: 77 });
    set('Louder', { levelDb: 6 });
    await written();
    expect(((await db.songs.get('quay'))!.document as { tracks: { levelDb: number }[] }).tracks[0].levelDb).toBe(3);
    expect(useSession.getState().elsewhere).toBe(true);
    set('Louder', { levelDb: 9 });
    expect(now().tracks[0].levelDb).toBe(6);
  });

  it('without locks in a browser everybody is alone', async () => {
    expect(await becomeWriter('quay')).not.toBeNull();
    expect(await withRecordings(() => Promise.resolve(5))).toBe(5);
    let ran = false;
    expect(await whenNothingComesIn(() => Promise.resolve(void (ran = true)))).toBe(true);
    expect(ran).toBe(true);
  });

  it('a save that fails is tried again, and nothing is lost', async () => {
    await open(made());
    const update = jest.spyOn(db.songs, 'put').mockRejectedValueOnce(new Error('disk full'));
    set('Louder', { levelDb: 3 });
    await written();
    expect(useSession.getState().saved).toBe('failed');
    set('Pan', { pan: 0.5 });
    saveAgain();
    await written();
    update.mockRestore();
    expect(useSession.getState().saved).toBe('saved');
    const { history } = await loadHistory('quay');
    expect(history.song.tracks[0]).toMatchObject({ levelDb: 3, pan: 0.5 });
    expect(history.entries.map(e => e.label)).toEqual(['Louder', 'Pan']);
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
    expect(await heldSource(id)).toEqual(samples());
    await expect(loadSource('f'.repeat(64))).rejects.toThrow('missing from the browser’s storage');
  });

  it('that an older Essim kept are there as before', async () => {
    await db.sources.put({ id: 'old', name: 'old.wav', sampleRate: 44100, channels: samples(), bytes: 1920 });
    expect(await loadSource('old')).toEqual({ id: 'old', name: 'old.wav', sampleRate: 44100, channels: samples() });
    expect(await heldSource('old')).toEqual(samples());
  });

  it('whose bytes are gone or cut short are told of in words', async () => {
    const cut = { bits: 24 as const, samples: new Blob([new Uint8Array(100)]) };
    await db.sources.put({ id: 'cut', name: 'cut.wav', sampleRate: 44100, packed: [cut] });
    for (const load of [loadSource, heldSource])
      await expect(load('cut')).rejects.toThrow('cannot be read from the browser’s storage');
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
    change('Bring in', addTakes('lead', [take('b', { sourceId: undone })]));
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
