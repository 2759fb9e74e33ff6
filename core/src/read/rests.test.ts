import fc from 'fast-check';
import { headLength } from './head';
import { quietest, stepPowers } from './rests';

describe('where a sound rests', () => {
  it('has the power of each whole step, of all channels together', () => {
    const [left, right] = [Float32Array.of(1, 1, 2, 2, 9), Float32Array.of(0, 3, 0, 0, 9)];
    expect([...stepPowers([left, right], 2)]).toEqual([11, 8]);
    expect(stepPowers([new Float32Array(1)], 2)).toHaveLength(0);
  });

  it('is found as by looking everywhere', () => {
    const power = fc.array(fc.integer({ min: 0, max: 9 }), { maxLength: 30 });
    const place = fc.double({ min: -3, max: 33, noNaN: true });
    fc.assert(
      fc.property(power, fc.integer({ min: 1, max: 6 }), place, place, (values, steps, from, to) => {
        const sums = values.flatMap((_, k) =>
          k >= from && k < to && k + steps <= values.length
            ? [{ k, sum: values.slice(k, k + steps).reduce((a, b) => a + b, 0) }]
            : [],
        );
        const best = sums.reduce<(typeof sums)[number] | null>((a, b) => (a && a.sum <= b.sum ? a : b), null);
        expect(quietest(Float64Array.from(values), steps, from, to)).toBe(best?.k ?? -1);
      }),
    );
  });
});

describe('the first phrases of a take', () => {
  const RATE = 8000;
  /** A tone with a rest of half a second about each of these seconds. */
  const sung = (seconds: number, rests: number[], begins = 0) =>
    Float32Array.from({ length: seconds * RATE }, (_, i) => {
      const t = i / RATE;
      return t < begins || rests.some(r => Math.abs(t - r) < 0.25) ? 0 : Math.sin(0.2 * i);
    });

  it('end in the middle of a rest some 12 to 30 seconds after the first sound', () => {
    const end = (x: Float32Array) => headLength(x, RATE)! / RATE;
    expect(Math.abs(end(sung(120, [5, 17, 50])) - 17)).toBeLessThan(0.1);
    // counted from the first sound, wherever that is
    expect(Math.abs(end(sung(120, [17, 38], 20)) - 38)).toBeLessThan(0.1);
  });

  it('are not read ahead of a take that is little longer, or empty', () => {
    expect(headLength(sung(40, [17]), RATE)).toBeNull();
    expect(headLength(new Float32Array(60 * RATE), RATE)).toBeNull();
    expect(headLength(sung(3, []), RATE)).toBeNull();
  });
});
