import fc from 'fast-check';
import { TimeMap, type Meeting } from '../song/timemap';
import { simplified } from './simplify';

/** A rising map with a point each 10 ms that goes at any speed. */
const maps = fc.array(fc.double({ min: 0.1, max: 3, noNaN: true }), { minLength: 2, maxLength: 120 }).map(speeds => {
  let to = 0;
  return speeds.map((speed, i): Meeting => ({ from: i * 0.01, to: (to += speed * 0.01) }));
});

test('a simplified map stays near the whole one, and is made of its points', () => {
  fc.assert(
    fc.property(maps, fc.double({ min: 1e-5, max: 0.02, noNaN: true }), (points, near) => {
      const few = simplified(points, near);
      const map = TimeMap.through(few);
      for (const p of points) expect(Math.abs(map.forward(p.from) - p.to)).toBeLessThanOrEqual(near + 1e-9);
      for (const p of few) expect(points).toContain(p);
      expect([few[0], few[few.length - 1]]).toEqual([points[0], points[points.length - 1]]);
    }),
    { numRuns: 60 },
  );
});

test('what must stay stays, and a straight line needs no more than its ends', () => {
  const straight = Array.from({ length: 50 }, (_, i) => ({ from: i, to: 2 * i + 1 }));
  expect(simplified(straight, 1e-6)).toEqual([straight[0], straight[49]]);
  expect(simplified(straight, 1e-6, new Set([straight[7], straight[30]]))).toEqual(
    [0, 7, 30, 49].map(i => straight[i]),
  );
  expect(simplified([], 1)).toEqual([]);
  expect(simplified([straight[3]], 1)).toEqual([straight[3]]);
});
