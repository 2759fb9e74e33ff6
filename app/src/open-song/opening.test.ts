import { singPhrases } from '@essim/demo';
import { TakeJob } from '../jobs/take-job';
import { TILE, slotOf } from '../player/tiles';
import { settleAll, settled, song, take, track } from '../testing';
import { allowWorkers } from '../testing-workers';
import { db } from '../keeping/db';
import { closeSong, openSong, readAgain, stopReading, undo, useSession, written } from '.';
import { addSong } from '../keeping/songs';
import { keepSource } from '../keeping/sources';
import { clientOf, opened, trackOf } from './state';

/** A song opened with its workers, its database and its computation, everything but the browser. */

const s = useSession.getState;
const lead = singPhrases([0], { seed: 3 });
const double = singPhrases([0], { seed: 8 });
let ids: [string, string];

beforeAll(async () => {
  allowWorkers();
  ids = [await keepSource('lead.wav', 48000, [lead.samples]), await keepSource('double.wav', 48000, [double.samples])];
});
beforeEach(async () => {
  await db.readings.clear();
  await addSong(
    song(
      [
        track('lead', [take('l', { sourceId: ids[0] })]),
        track('ash', [take('a', { sourceId: ids[1] })], { role: 'double', followsId: 'lead' }),
      ],
      { key: { tonic: 2, mode: 'major' } },
    ),
  );
});
afterEach(async () => {
  jest.restoreAllMocks();
  closeSong();
  await written();
});
const read = () => settled(() => ['l', 'a'].every(id => s().takes[id]?.status === 'ready'));

test('every take is loaded, read and ready to plan; the notes are those that were sung', async () => {
  await openSong('quay');
  await read();
  for (const id of ['l', 'a']) expect(clientOf(id)!.prepared).toBe(true);
  expect(s().duration).toBeCloseTo(Math.max(lead.samples.length, double.samples.length) / 48000, 1);
  const sung = lead.truth.notes.length;
  expect(Math.abs(s().views.lead.notes.length - sung)).toBeLessThan(0.25 * sung);
  expect(s().views.lead.partial).toBe(false);
});

test('a reading is kept: opened again, the song is there without reading', async () => {
  const reads = jest.spyOn(TakeJob.prototype, 'read');
  await openSong('quay');
  await read();
  expect(reads).toHaveBeenCalledTimes(2);
  const before = s().views.lead.notes;
  await settled(async () => (await db.readings.count()) === 2);
  closeSong();
  expect(s().history).toBeNull();
  await openSong('quay');
  await read();
  expect(reads).toHaveBeenCalledTimes(2);
  expect(s().views.lead.notes).toEqual(before);
});

test('a take read ahead is seen before its recording is there, and before anything else was found of it', async () => {
  await openSong('quay');
  await read();
  const { notes } = s().views.lead;
  await settled(async () => (await db.readings.toArray()).filter(r => r.facts).length === 2);
  await db.readings.toCollection().modify(row => void delete row.facts);
  closeSong();
  const loads = jest.spyOn(TakeJob.prototype, 'open').mockImplementation(() => new Promise<never>(() => {}));
  void openSong('quay');
  await settled(() => s().views.lead?.notes.length > 0);
  expect(s().views.lead.notes.map(n => n.key)).toEqual(notes.map(n => n.key));
  expect(clientOf('l')?.prepared).toBeFalsy();
  loads.mockRestore();
});

test('settled notes are planned and rendered ahead; taken back, the take sounds as sung', async () => {
  await openSong('quay');
  await read();
  expect(opened()!.sounds.get('l')!.tiles).toBeUndefined();
  settleAll();
  const notes = s().views.lead.notes.length;
  const edits = () => Object.values(trackOf(s(), 'lead')!.takes[0].edits);
  expect(edits()).toHaveLength(notes);
  const view = () => s().views.lead;
  await settled(() => view().line !== view().sungLine && !!opened()!.sounds.get('l')!.tiles);
  const { table } = opened()!.sounds.get('l')!.tiles!;
  await settled(() => table.every(state => !(state & 1)));
  const first = view().notes[0];
  expect(slotOf(table[Math.floor((first.onset * 48000) / TILE)])).toBeGreaterThanOrEqual(0);
  // every long note's middle lies on a step of the key
  for (const n of view().notes.filter(n => n.end - n.start > 0.4)) {
    const inside = [...view().line.slice(Math.round((n.start + 0.15) * 200), Math.round((n.end - 0.15) * 200))];
    const mean = inside.reduce((a, b) => a + b, 0) / inside.length;
    expect([0, 2, 4, 5, 7, 9, 11].map(d => (d + 2) % 12)).toContain(((Math.round(mean) % 12) + 12) % 12);
    expect(Math.abs(mean - Math.round(mean))).toBeLessThan(0.12);
  }
  undo();
  await settled(() => table.every(state => state === 0));
  expect(edits()).toHaveLength(0);
  const [sung] = await clientOf('l')!.render({});
  expect(sung.every((v, i) => Object.is(v, lead.samples[i]))).toBe(true);
});

test('a recording that is missing is told and fails alone', async () => {
  await db.sources.delete(ids[1]);
  try {
    await openSong('quay');
    await settled(() => s().takes.l?.status === 'ready' && s().takes.a?.status === 'failed');
    expect(s().takes.a!.error).toContain('missing from the browser’s storage');
    expect(s().views.lead.notes.length).toBeGreaterThan(0);
  } finally {
    await keepSource('double.wav', 48000, [double.samples]);
    await db.facts.delete(ids[1]);
    await keepSource('double.wav', 48000, [double.samples]);
  }
});

test('a reading is stopped, the take is left alone, and read when it is asked for', async () => {
  const { read: reading } = TakeJob.prototype;
  const stopping = jest.spyOn(TakeJob.prototype, 'read').mockImplementation(function (
    this: TakeJob,
    range,
    stop,
    tell,
  ) {
    return reading.call(this, range, stop, share => {
      tell(share);
      if (share > 0.1) stopReading('l');
    });
  });
  await openSong('quay');
  await settled(() => s().takes.l?.status === 'stopped');
  stopping.mockRestore();
  await settled(() => s().takes.a?.status === 'ready');
  expect(s().takes.l!.status).toBe('stopped');
  readAgain('l');
  await read();
  expect(s().views.lead.notes.length).toBeGreaterThan(3);
});

test('a song closed while it is read leaves nothing behind, and the next one opens', async () => {
  await addSong(song([track('other', [take('o', { sourceId: ids[1] })])], { id: 'pier' }));
  await openSong('quay');
  closeSong();
  expect(opened()).toBeNull();
  await openSong('pier');
  await settled(() => s().takes.o?.status === 'ready');
  expect(s().takes.l).toBeUndefined();
  expect(Object.keys(s().views)).toEqual(['other']);
});

test('a song that is not there says so', async () => {
  await openSong('nowhere');
  expect(s().failure).toContain('not on the shelf');
  expect(opened()?.id).not.toBe('nowhere');
});
