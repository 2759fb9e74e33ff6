import { halveRate } from './filter';
import { seededRandom } from './random';
import { halfRate, stretchesOf } from './stretches';

const random = seededRandom(21);
const x = Float32Array.from({ length: 40_001 }, () => random.normal());
/** What lies there, zeros beyond the ends. */
const wanted = (all: Float32Array, from: number, to: number) =>
  Float32Array.from({ length: to - from }, (_, i) => all[from + i] ?? 0);
const places = (length: number) => [
  [0, length],
  [-50, 30],
  [length - 20, length + 70],
  [-5, length + 5],
  [4090, 4100],
  [1234, 12_345],
  [length + 10, length + 20],
  [-20, -10],
];

it('tells what is held, and nothing beyond its ends', () => {
  const sound = stretchesOf(x);
  for (const [from, to] of places(x.length)) expect(sound.stretch(from, to)).toEqual(wanted(x, from, to));
  expect(sound.stretch(10, 20).buffer).toBe(x.buffer);
});

it('halves the rate to the bit as all of it at once, once and twice', () => {
  const once = halfRate(stretchesOf(x));
  const twice = halfRate(once);
  expect([once.length, twice.length]).toEqual([20_000, 10_000]);
  const half = halveRate(x);
  for (const [from, to] of places(20_000)) expect(once.stretch(from, to)).toEqual(wanted(half, from, to));
  for (const [from, to] of places(10_000)) expect(twice.stretch(from, to)).toEqual(wanted(halveRate(half), from, to));
});
