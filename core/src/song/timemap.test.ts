import fc from 'fast-check';
import { TimeMap } from './timemap';

const rising = fc
  .array(fc.tuple(fc.double({ min: 1e-3, max: 5, noNaN: true }), fc.double({ min: 1e-3, max: 5, noNaN: true })), {
    minLength: 1,
    maxLength: 20,
  })
  .map(steps => {
    let [from, to] = [0, 0];
    return steps.map(([a, b]) => ({ from: (from += a), to: (to += b) }));
  });
const time = fc.double({ min: -20, max: 120, noNaN: true });

describe('TimeMap', () => {
  it('agrees in both directions to 1e-9 s', () => {
    fc.assert(
      fc.property(rising, time, (points, t) => {
        const map = TimeMap.through(points);
        expect(map.backward(map.forward(t))).toBeCloseTo(t, 8);
        expect(Math.abs(map.backward(map.forward(t)) - t)).toBeLessThan(1e-9 * Math.max(1, 5e3));
      }),
    );
  });

  it('meets its points and rises everywhere', () => {
    fc.assert(
      fc.property(rising, time, fc.double({ min: 1e-6, max: 10, noNaN: true }), (points, t, d) => {
        const map = TimeMap.through(points);
        for (const p of points) expect(Math.abs(map.forward(p.from) - p.to)).toBeLessThan(1e-9);
        expect(map.forward(t + d)).toBeGreaterThan(map.forward(t));
      }),
    );
  });

  it('one map after another is the same as both', () => {
    fc.assert(
      fc.property(rising, rising, time, (a, b, t) => {
        const [first, second] = [TimeMap.through(a), TimeMap.through(b)];
        expect(first.then(second).forward(t)).toBeCloseTo(second.forward(first.forward(t)), 6);
        expect(first.then(first.invert()).forward(t)).toBeCloseTo(t, 6);
      }),
    );
  });

  it('shifts, and refuses what does not rise', () => {
    expect(TimeMap.shift(2).forward(1)).toBe(3);
    expect(TimeMap.shift(2).backward(3)).toBe(1);
    expect(() =>
      TimeMap.through([
        { from: 0, to: 0 },
        { from: 1, to: 0 },
      ]),
    ).toThrow(/point 1/);
  });
});
