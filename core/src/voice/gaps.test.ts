import { seededRandom } from '../signal/random';
import { findAttacks } from './gaps';

const RATE = 48000;
const random = seededRandom(3);
/** A take with hiss, in which something bursts at each of some moments, s. */
function take(seconds: number, bursts: number[], { hiss = 0.0003, size = 0.15 } = {}): Float32Array {
  const x = Float32Array.from({ length: seconds * RATE }, () => hiss * random.normal());
  for (const at of bursts) {
    const first = Math.round(at * RATE);
    for (let i = 0; i < 0.03 * RATE; i++) x[first + i] += size * random.normal() * Math.exp(-i / (0.006 * RATE));
  }
  return x;
}
const seconds = (found: number[]) => found.map(u => u / RATE);

test('plosives are found within two milliseconds of where they burst', () => {
  const at = [0.2, 0.31, 0.55, 0.8];
  const found = seconds(findAttacks(take(1, at), RATE, 0, RATE));
  expect(found).toHaveLength(at.length);
  found.forEach((t, i) => expect(Math.abs(t - at[i])).toBeLessThan(0.002));
});

test('only those inside the stretch that is asked for', () => {
  const x = take(1, [0.2, 0.5, 0.8]);
  const found = seconds(findAttacks(x, RATE, 0.35 * RATE, 0.65 * RATE));
  expect(found).toHaveLength(1);
  expect(found[0]).toBeCloseTo(0.5, 2);
  expect(findAttacks(x, RATE, 0.6 * RATE, 0.75 * RATE)).toEqual([]);
});

test('a steady hiss, a swelling breath and silence have none', () => {
  expect(findAttacks(take(1, []), RATE, 0, RATE)).toEqual([]);
  const breath = take(1, [], { hiss: 0.05 }).map((v, i) => v * Math.min(1, i / (0.4 * RATE)));
  expect(findAttacks(breath, RATE, 0.1 * RATE, RATE)).toEqual([]);
  expect(findAttacks(new Float32Array(RATE), RATE, 0, RATE)).toEqual([]);
});

test('a burst hardly over the noise is none, one well over it is', () => {
  expect(findAttacks(take(1, [0.5], { hiss: 0.03, size: 0.05 }), RATE, 0, RATE)).toEqual([]);
  expect(findAttacks(take(1, [0.5], { hiss: 0.003, size: 0.15 }), RATE, 0, RATE)).toHaveLength(1);
});

test('the two edges of one burst are one attack', () => {
  const x = take(1, [0.5, 0.512]);
  expect(findAttacks(x, RATE, 0, RATE)).toHaveLength(1);
});
