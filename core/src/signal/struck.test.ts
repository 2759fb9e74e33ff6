import { playedMelody, struckString } from './struck';

const RATE = 48000;
/** How strongly a pitch is in a sound, by the plainest sum. */
const strength = (x: Float32Array, hz: number): number => {
  let [re, im] = [0, 0];
  x.forEach((v, i) => {
    re += v * Math.cos((2 * Math.PI * hz * i) / RATE);
    im += v * Math.sin((2 * Math.PI * hz * i) / RATE);
  });
  return Math.hypot(re, im) / x.length;
};

describe('a struck string', () => {
  const a = struckString(69, RATE, 1);

  test('sounds its pitch, begins without a click and dies away', () => {
    expect(strength(a, 440)).toBeGreaterThan(10 * strength(a, 466));
    expect(Math.abs(a[0])).toBeLessThan(0.01);
    const loud = (from: number, to: number) => Math.max(...a.subarray(from * RATE, to * RATE).map(Math.abs));
    expect(loud(0.8, 1)).toBeLessThan(0.8 * loud(0, 0.2));
    expect(loud(0, 1)).toBeCloseTo(1, 6);
  });

  test('a melody sounds its notes where they are, and is silent after them', () => {
    const x = playedMelody(
      [
        { start: 0.1, end: 0.4, midi: 69 },
        { start: 0.5, end: 0.7, midi: 76 },
      ],
      RATE,
      RATE,
    );
    const part = (from: number, to: number) => x.subarray(from * RATE, to * RATE);
    expect(Math.max(...part(0, 0.1))).toBe(0);
    expect(strength(part(0.1, 0.4), 440)).toBeGreaterThan(5 * strength(part(0.1, 0.4), 659.3));
    expect(strength(part(0.5, 0.7), 659.3)).toBeGreaterThan(5 * strength(part(0.5, 0.7), 440));
    expect(Math.max(...part(0.8, 1).map(Math.abs))).toBe(0);
    expect(Math.max(...x.map(Math.abs))).toBeLessThan(1);
  });
});
