import fc from 'fast-check';
import { median, quantile } from './statistics';

describe('quantiles', () => {
  it('are what a sort would give, whatever the numbers', () => {
    const number = fc.oneof(fc.integer({ min: -4, max: 4 }), fc.double(), fc.constant(Infinity), fc.constant(NaN));
    fc.assert(
      fc.property(
        fc.array(number, { minLength: 1, maxLength: 60 }),
        fc.double({ min: 0, max: 1, noNaN: true }),
        (x, q) => {
          const sorted = new Float64Array(x).sort();
          const asked = [...x];
          // both noughts are one
          expect(quantile(asked, q) + 0).toBe(sorted[Math.min(x.length - 1, Math.floor(q * x.length))] + 0);
          expect(asked).toEqual(x);
        },
      ),
      { numRuns: 500 },
    );
  });

  it('of nothing are nought', () => {
    expect(quantile([], 0.5)).toBe(0);
    expect(median([3, 1, 2])).toBe(2);
  });
});
