import { packSamples } from '@essim/core';
import { settled } from '../testing';
import { allowWorkers } from '../testing-workers';
import { db } from '../keeping/db';
import { keepSource } from '../keeping/sources';
import { shared } from '../shared-memory';
import { forgetAhead, nameAhead, readAhead, soundAhead, takeAhead, warmUp } from './ahead';

/** Recordings that are read before anybody asks for them. */

const RATE = 48000;
const vowel = (hz: number, seconds = 1) =>
  shared(
    Float32Array.from({ length: seconds * RATE }, (_, i) => {
      const t = i / RATE;
      return 0.1 * [1, 0.6, 0.4, 0.3].reduce((sum, a, h) => sum + a * Math.sin(2 * Math.PI * hz * (h + 1) * t), 0);
    }),
  );
const of = (sourceId: string) => ({ sourceId, range: 'auto' as const, channels: 'stereo' as const });

beforeAll(allowWorkers);
afterEach(async () => {
  forgetAhead();
  await db.readings.clear();
});

it('one that was read is kept, and nothing of it is held', async () => {
  const sound = vowel(220);
  warmUp();
  const all = readAhead('file', [sound], RATE);
  nameAhead('file', 'a', 'stereo', [packSamples(sound)]);
  expect(soundAhead(of('a'))).toEqual([packSamples(sound)]);
  await all;
  await settled(async () => (await db.readings.count()) === 1);
  expect((await db.readings.toArray())[0].reading.notes).toHaveLength(1);
  await settled(() => soundAhead(of('a')) === null);
  expect(takeAhead(of('a'))).toBeNull();
});

it('all of it is read and kept once it is known as what', async () => {
  const all = readAhead('file', [vowel(220)], RATE);
  const sourceId = await keepSource('a.wav', RATE, [vowel(220)]);
  expect(await db.readings.count()).toBe(0);
  nameAhead('file', sourceId, 'stereo');
  await all;
  expect(await db.readings.count()).toBe(1);
});

it('one that is given up before it is known as what waits for nothing', async () => {
  const all = readAhead('file', [vowel(220)], RATE);
  forgetAhead();
  await all;
  expect(await db.readings.count()).toBe(0);
});

it('one under way is handed over to whoever opens the take, once, and to nobody who hears it otherwise', async () => {
  void readAhead('file', [vowel(330)], RATE);
  nameAhead('file', 'b', 'stereo');
  expect(takeAhead({ ...of('b'), channels: 'left' })).toBeNull();
  expect(takeAhead({ ...of('b'), range: 'low' })).toBeNull();
  const reader = takeAhead(of('b'))!;
  expect(takeAhead(of('b'))).toBeNull();
  // too short for first phrases of its own
  expect(await reader.head()).toBeNull();
  const reading = await reader.read();
  expect(reading.notes).toHaveLength(1);
  expect(await reader.read()).toBe(reading);
});

it('what is given up is read by nobody', async () => {
  void readAhead('one', [vowel(330)], RATE);
  void readAhead('other', [vowel(440)], RATE);
  nameAhead('one', 'c', 'stereo');
  nameAhead('other', 'd', 'stereo');
  forgetAhead('one');
  expect(takeAhead(of('c'))).toBeNull();
  const other = takeAhead(of('d'))!;
  other.close();
  await expect(other.read()).rejects.toThrow();
});

it('one that cannot be read is left to whoever opens it', async () => {
  const all = readAhead('file', [shared(new Float32Array(RATE))], RATE);
  nameAhead('file', 'e', 'stereo');
  await all;
  expect(takeAhead(of('e'))).toBeNull();
  expect(await db.readings.count()).toBe(0);
});
