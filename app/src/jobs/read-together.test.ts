import { readTake, seededRandom } from '@essim/core';
import { singPhrases } from '@essim/demo';
import { allowWorkers } from '../testing-workers';
import { readTogether } from './read-together';

/** A long take on several threads; here the threads are this one, what passes between real ones is driven end to end. */

const RATE = 48_000;
const phrases = [0, 1, 2, 3].map(p => singPhrases([p], { seed: 5 }).samples);
const rest = new Float32Array(6 * RATE);
const hiss = seededRandom(2);
const samples = Float32Array.from(
  phrases.flatMap(p => [...p, ...rest]),
  v => v + 2e-5 * (hiss.uniform() - 0.5),
);
const silently = () => {};

beforeAll(allowWorkers);

test('is the reading that one thread makes', async () => {
  const together = await readTogether([samples], RATE, 'auto', silently, 2);
  const alone = readTake(samples, RATE);
  expect(together!.f0).toEqual(alone.f0);
  expect(together!.notes.length).toBe(alone.notes.length);
  expect(together!.candidates).toEqual(alone.candidates);
});

test('a short take, and a machine with one processor, read on one thread', async () => {
  expect(await readTogether([samples], RATE, 'auto', silently, 1)).toBeNull();
  expect(await readTogether([samples.subarray(0, 8 * RATE)], RATE, 'auto', silently, 8)).toBeNull();
});

test('tells how far it is, and is stopped', async () => {
  const told: number[] = [];
  await readTogether([samples], RATE, 'auto', share => told.push(share), 2);
  expect(told).toEqual([...told].sort((a, b) => a - b));
  expect(told.at(-1)).toBe(1);
  const stopped = readTogether(
    [samples],
    RATE,
    'auto',
    share => {
      if (share > 0.3) throw new Error('enough');
    },
    2,
  );
  await expect(stopped).rejects.toThrow('enough');
});

test('a thread that breaks leaves it to one', async () => {
  class Broken {
    readonly job = { open: () => new Promise(() => {}), levels: () => new Promise(() => {}) };
    readonly made = [];
    addEventListener(kind: string, hear: (e: object) => void): void {
      if (kind === 'error') setTimeout(() => hear({ message: 'out of memory' }), 20);
    }
    postMessage(): void {}
    terminate(): void {}
  }
  const { Worker } = globalThis;
  Object.assign(globalThis, { Worker: Broken });
  try {
    expect(await readTogether([samples], RATE, 'auto', silently, 2)).toBeNull();
  } finally {
    Object.assign(globalThis, { Worker });
  }
});
