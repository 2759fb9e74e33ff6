import { seededRandom } from '../signal/random';
import { intervalIndex, intervalPrices } from './intervals';

const random = seededRandom(5);
const times = <T>(n: number, make: (i: number) => T) => Array.from({ length: n }, (_, i) => make(i));
/** Any interval between two melodies within an octave and a half. */
const strangers = times(2000, () => 9 * random.normal());
const at = (prices: Float32Array, interval: number) => prices[intervalIndex(60, 60 + interval)];

describe('what intervals cost', () => {
  test('in unison: nothing near it, most of it a third away', () => {
    const prices = intervalPrices(
      times(1000, () => 0.2 * random.normal()),
      strangers,
    )!;
    expect(at(prices, 0)).toBeCloseTo(0, 1);
    expect(at(prices, 0.4)).toBeLessThan(0.3);
    expect(at(prices, 4)).toBeGreaterThan(0.9);
    expect(at(prices, -12)).toBeGreaterThan(0.9);
  });

  test('in thirds: major and minor ones alike are usual', () => {
    const prices = intervalPrices(
      times(1000, i => (i % 2 ? 3 : 4) + 0.2 * random.normal()),
      strangers,
    )!;
    expect(at(prices, 3)).toBeLessThan(0.2);
    expect(at(prices, 4)).toBeLessThan(0.2);
    expect(at(prices, 0)).toBeGreaterThan(0.6);
  });

  test('of a free counterpart nothing costs', () => {
    const prices = intervalPrices(
      times(2000, () => 9 * random.normal()),
      strangers,
    )!;
    for (let v = -9; v <= 9; v++) expect(at(prices, v)).toBeLessThan(0.25);
  });

  test('a usual interval speaks for a match only as far as it is trusted', () => {
    const unison = times(1000, () => 0.2 * random.normal());
    expect(Math.min(...intervalPrices(unison, strangers)!)).toBe(0);
    const least = Math.min(...intervalPrices(unison, strangers, 0.4)!);
    expect(least).toBeLessThan(-0.1);
    expect(least).toBeGreaterThanOrEqual(-0.4001);
  });

  test('too little sung together says nothing', () => {
    expect(intervalPrices([0, 0, 0], strangers)).toBeNull();
    expect(intervalPrices(strangers, [])).toBeNull();
  });

  test('whatever two pitches a voice can have, their interval has a price', () => {
    const prices = intervalPrices(strangers, strangers)!;
    for (const low of [1, 33, 60, 126])
      for (const high of [20, 48, 90]) expect(prices[intervalIndex(low, high)]).toBeDefined();
  });
});
