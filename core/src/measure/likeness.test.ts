import { seededRandom } from '../signal/random';
import { likenessOf } from './likeness';

const RATE = 24000;
/** A buzz with some noise: period in samples, where it sounds in seconds. */
function buzz(hz: number, seed: number, seconds = 3): Float32Array {
  const random = seededRandom(seed);
  return Float32Array.from({ length: seconds * RATE }, (_, i) => {
    let v = 0.02 * random.normal();
    for (let h = 1; h < 9; h++) v += Math.sin((2 * Math.PI * hz * h * i) / RATE + seed * h * h) / h / 6;
    return v;
  });
}

test('a track and its copy are 1, wherever the copy lies within 5 ms, and hollow when it is near', () => {
  const x = buzz(210, 1);
  const later = (ms: number) => {
    const y = new Float32Array(x.length);
    y.set(x.subarray(0, x.length - Math.round((ms / 1000) * RATE)), Math.round((ms / 1000) * RATE));
    return y;
  };
  expect(likenessOf(x, x, RATE).whole).toBeGreaterThan(0.99);
  const near = likenessOf(x, later(1), RATE);
  expect(near.whole).toBeGreaterThan(0.97);
  expect(near.hollow).toHaveLength(1);
  expect(near.hollow[0].end - near.hollow[0].start).toBeGreaterThan(2);
});

test('two voices at different pitches are not alike', () => {
  const { whole, hollow } = likenessOf(buzz(210, 1), buzz(263, 2), RATE);
  expect(whole).toBeLessThan(0.5);
  expect(hollow).toEqual([]);
});

test('where one is silent nothing is said', () => {
  const x = buzz(210, 1);
  const y = buzz(210, 3).map((v, i) => (i < RATE ? 0 : v));
  const { curve, step } = likenessOf(x, y, RATE);
  expect(curve.subarray(0, Math.floor(0.8 / step)).every(Number.isNaN)).toBe(true);
  expect(curve.subarray(Math.ceil(1.2 / step)).some(v => v > 0)).toBe(true);
  expect(likenessOf(x, new Float32Array(x.length), RATE).whole).toBe(0);
});
