import { seededRandom, validatedSong, writeWav, type Song } from '@essim/core';
import { now, open, settled, song, take, track } from '../testing';
import { allowWorkers } from '../testing-workers';
import { db } from '../keeping/db';
import { beginImport, cancelImport, changeRow, finishImport, stopRow, useImports } from './importing';
import { undo, written } from '../open-song';
import { loadSource } from '../keeping/sources';

/** Files brought in, through the worker that reads and keeps them. */

const RATE = 48000;
const random = seededRandom(5);
const noise = (seconds: number, level = 0.1) =>
  Float32Array.from({ length: Math.round(seconds * RATE) }, () => Math.fround(level * (2 * random.uniform() - 1)));
const wav = (name: string, channels: Float32Array[], fields: { sampleRate?: number; timeReference?: number } = {}) =>
  new File(
    [
      writeWav(
        { sampleRate: fields.sampleRate ?? RATE, channels },
        { format: 'float32', timeReference: fields.timeReference },
      ) as Uint8Array<ArrayBuffer>,
    ],
    name,
  );
const rows = () => useImports.getState().rows;
const row = (name: string) => rows().find(r => r.file.name === name)!;
/** Drops files and waits until all are read. */
async function drop(...files: File[]): Promise<void> {
  await beginImport(files, { kind: 'song' });
  await settled(() => rows().every(r => ['ready', 'failed', 'stopped'].includes(r.status)));
}
const made = async (): Promise<Song> => {
  const { songId } = await finishImport();
  return validatedSong((await db.songs.get(songId!))!.document);
};

beforeAll(allowWorkers);
afterEach(async () => {
  cancelImport();
  await written();
});

describe('what is dropped', () => {
  const readings = () => db.readings.toArray();

  it('is read while it is still said what it is to be: a single file from the first, several one after the other', async () => {
    await drop(wav('Quay lead.wav', [noise(1)]));
    await settled(async () => (await readings()).length === 1);
    const [{ key }] = await readings();
    expect(key).toContain(rows()[0].result!.sourceId);
    cancelImport();
    await db.readings.clear();
    await drop(wav('Quay lead.wav', [noise(1)]), wav('Quay dbl.wav', [noise(1)]), wav('Quay backing.wav', [noise(1)]));
    await settled(async () => (await readings()).length === 2);
    const read = (await readings()).map(r => r.key.split(' ')[0]).sort();
    expect(read).toEqual(
      rows()
        .filter(r => r.role !== 'backing')
        .map(r => r.result!.sourceId)
        .sort(),
    );
  });
});

describe('a new song from files', () => {
  it('has tracks by what the names say, in order, the samples as they were', async () => {
    const [lead, left, right, band] = [noise(1), noise(1), noise(1), [noise(1.5), noise(1.5)]];
    await drop(
      wav('Quay backing.wav', band),
      wav('Quay dbl R.wav', [right]),
      wav('Quay lead.wav', [lead]),
      wav('Quay dbl L.wav', [left]),
    );
    expect(rows().map(r => r.status)).toEqual(['ready', 'ready', 'ready', 'ready']);
    expect(row('Quay lead.wav').result).toMatchObject({ fileRate: RATE, channelCount: 1, format: '32-bit float WAV' });
    const s = await made();
    expect(s.name).toBe('Quay');
    expect(s.tracks.map(t => t.role)).toEqual(['lead', 'double', 'double', 'backing']);
    expect(s.tracks.map(t => t.followsId)).toEqual([null, s.tracks[0].id, s.tracks[0].id, null]);
    expect(s.tracks[1].pan).toBeLessThan(0);
    expect(s.tracks[2].pan).toBeGreaterThan(0);
    const kept = await loadSource(s.tracks[0].takes[0].sourceId);
    expect(kept.channels[0].every((v, i) => v === lead[i])).toBe(true);
  });

  it('takes numbered files as takes of one track, in the order of their numbers', async () => {
    await drop(...[10, 2, 1].map(n => wav(`Quay lead t${n}.wav`, [noise(0.5)])));
    const s = await made();
    expect(s.tracks).toHaveLength(1);
    expect(s.tracks[0].takes.map(t => t.name)).toEqual(['Quay lead t1', 'Quay lead t2', 'Quay lead t10']);
    expect(s.tracks[0].segments).toMatchObject([{ at: 0, takeId: s.tracks[0].takes[0].id }]);
  });

  it('puts time-stamped files where they belong, and one stamp alone at the start', async () => {
    const hour = 3600 * RATE;
    await drop(
      wav('Quay lead.wav', [noise(0.5)], { timeReference: hour }),
      wav('Quay dbl.wav', [noise(0.5)], { timeReference: hour + 2 * RATE }),
    );
    expect((await made()).tracks.map(t => t.takes[0].offsetSeconds)).toEqual([0, 2]);
    await drop(wav('Quay lead.wav', [noise(0.5)], { timeReference: hour }));
    expect((await made()).tracks[0].takes[0].offsetSeconds).toBe(0);
  });

  it('brings files of another rate to the lead’s', async () => {
    await drop(
      wav('Quay lead.wav', [noise(1)]),
      wav('Quay harmony.wav', [noise(1).subarray(0, 44100)], { sampleRate: 44100 }),
    );
    expect(row('Quay harmony.wav').result).toMatchObject({ fileRate: 44100 });
    const s = await made();
    expect(s.sampleRate).toBe(RATE);
    const kept = await loadSource(s.tracks[1].takes[0].sourceId);
    expect(kept.sampleRate).toBe(RATE);
    expect(Math.abs(kept.channels[0].length - RATE)).toBeLessThan(3);
  });

  it('keeps the same samples once, whatever their files are called', async () => {
    const before = await db.sources.count();
    const x = noise(0.4);
    await drop(wav('Quay lead.wav', [x]), wav('Quay dbl.wav', [x]));
    const s = await made();
    expect(s.tracks[0].takes[0].sourceId).toBe(s.tracks[1].takes[0].sourceId);
    expect(await db.sources.count()).toBe(before + 1);
  });

  it('makes one recording of two microphones of one singer', async () => {
    const [near, far] = [noise(0.6), noise(0.6, 0.05)];
    await drop(wav('lead close.wav', [near]), wav('lead room.wav', [far]));
    const linked = rows().filter(r => r.linkedTo);
    expect(linked).toHaveLength(1);
    const s = await made();
    expect(s.tracks).toHaveLength(1);
    expect(s.tracks[0].takes).toHaveLength(1);
    expect(s.tracks[0].takes[0].channels).toBe('linked');
    const kept = await loadSource(s.tracks[0].takes[0].sourceId);
    expect(kept.channels[1].every((v, i) => v === far[i])).toBe(true);
  });

  it('is what the user makes of it before it is brought in', async () => {
    await drop(wav('one.wav', [noise(0.4)]), wav('two.wav', [noise(0.4)]));
    changeRow(row('two.wav').id, { role: 'harmony', name: 'Upper' });
    useImports.setState({ songName: '  Pier ' });
    const s = await made();
    expect(s.name).toBe('Pier');
    expect(s.tracks.map(t => [t.role, t.name])).toEqual([
      ['lead', 'one'],
      ['harmony', 'Upper'],
    ]);
  });
});

describe('what cannot be used', () => {
  it('is named with its reason; the others come in', async () => {
    const cut = await wav('x.wav', [noise(0.5)]).arrayBuffer();
    await drop(
      wav('Quay lead.wav', [noise(0.5)]),
      wav('silent.wav', [new Float32Array(RATE)]),
      wav(
        'six.wav',
        Array.from({ length: 6 }, () => noise(0.1)),
      ),
      new File([], 'empty.wav'),
      new File(['Dear choir'], 'letter.wav'),
      new File([cut.slice(0, 30)], 'cut.wav'),
    );
    expect(row('silent.wav').problem).toBe('it is silent');
    expect(row('six.wav').problem).toContain('6 channels');
    expect(row('empty.wav').problem).toBe('the file is empty');
    for (const name of ['letter.wav', 'cut.wav']) expect(row(name).status).toBe('failed');
    const { songId, brought, problems } = await finishImport();
    expect([brought, problems.length]).toEqual([1, 5]);
    expect(problems.every(p => /^\S+\.wav could not be used: .+\.$/.test(p))).toBe(true);
    expect(validatedSong((await db.songs.get(songId!))!.document).tracks).toHaveLength(1);
  });

  it('makes no song when nothing is left', async () => {
    const before = await db.songs.count();
    await drop(new File(['Dear choir'], 'letter.wav'));
    expect((await finishImport()).songId).toBeNull();
    expect(await db.songs.count()).toBe(before);
  });

  it('or is no longer wanted is left out without a word', async () => {
    await drop(wav('Quay lead.wav', [noise(0.4)]), wav('Quay dbl.wav', [noise(0.4)]));
    changeRow(row('Quay dbl.wav').id, { result: undefined });
    stopRow(row('Quay dbl.wav').id);
    const { brought, problems } = await finishImport();
    expect([brought, problems]).toEqual([1, []]);
  });

  it('an import given up leaves nothing to be brought in', async () => {
    const reading = beginImport([wav('Quay lead.wav', [noise(2)])], { kind: 'song' });
    cancelImport();
    await reading;
    expect(useImports.getState()).toMatchObject({ target: null, rows: [] });
    expect(await finishImport()).toMatchObject({ songId: null, brought: 0 });
  });
});

describe('into a song that is open', () => {
  beforeEach(() => open(song([track('lead', [take('a')])])));

  it('files become tracks, or takes of a track, as one step', async () => {
    await beginImport([wav('Quay dbl.wav', [noise(0.4)]), wav('Quay harm.wav', [noise(0.4)])], { kind: 'tracks' });
    await finishImport();
    expect(now().tracks.map(t => t.role)).toEqual(['lead', 'double', 'harmony']);
    undo();
    expect(now().tracks).toHaveLength(1);
    await beginImport([wav('again.wav', [noise(0.4)])], { kind: 'takes', trackId: 'lead' });
    await finishImport();
    expect(now().tracks[0].takes.map(t => t.name)).toEqual(['a', 'again']);
    // the comp is as it was
    expect(now().tracks[0].segments).toMatchObject([{ takeId: 'a' }]);
  });

  it('a second drop while one is looked over is not mixed into it', async () => {
    await beginImport([wav('Quay dbl.wav', [noise(0.4)])], { kind: 'tracks' });
    await beginImport([wav('Quay harm.wav', [noise(0.4)])], { kind: 'tracks' });
    expect(rows().map(r => r.file.name)).toEqual(['Quay dbl.wav']);
  });
});
