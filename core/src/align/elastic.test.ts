import fc from 'fast-check';
import { TimeMap, type Meeting } from '../song/timemap';
import { risingTies } from './align';
import { elasticLine } from './elastic';
import { simplified } from './simplify';

const free = (n: number) => ({
  weights: new Float64Array(n),
  places: new Float64Array(n),
  stiffness: new Float64Array(n).fill(1),
});

test('a line nothing draws stays where it is', () => {
  const y = elasticLine(free(50), 0.01, { slowest: 0.5, fastest: 2 });
  y.forEach((v, i) => expect(v).toBeCloseTo(i * 0.01, 6));
});

test('whatever draws it, a line rises', () => {
  fc.assert(
    fc.property(fc.array(fc.double({ min: -3, max: 3, noNaN: true }), { minLength: 2, maxLength: 80 }), pulls => {
      const n = pulls.length;
      const e = free(n);
      pulls.forEach((p, i) => {
        e.weights[i] = 10;
        e.places[i] = i * 0.01 + p;
      });
      const y = elasticLine(e, 0.01, { slowest: 0.5, fastest: 2 });
      for (let i = 1; i < n; i++) expect(y[i]).toBeGreaterThan(y[i - 1]);
    }),
  );
});

test('a map of fewer points stays near the one it was', () => {
  const steps = fc.array(fc.double({ min: 0.2, max: 2, noNaN: true }), { minLength: 1, maxLength: 200 });
  fc.assert(
    fc.property(steps, slopes => {
      let to = 0;
      const points: Meeting[] = [{ from: 0, to }];
      slopes.forEach((s, i) => points.push({ from: (i + 1) * 0.01, to: (to += s * 0.01) }));
      const few = simplified(points, 0.0005);
      const map = TimeMap.through(few);
      for (const p of points) expect(Math.abs(map.forward(p.from) - p.to)).toBeLessThan(0.00051);
    }),
  );
});

test('of ties that cross, the later made is kept', () => {
  const ties = [
    { follower: 1, lead: 1.1 },
    { follower: 2, lead: 2 },
    { follower: 1.5, lead: 0.9 },
  ];
  expect(risingTies(ties)).toEqual([
    { follower: 1.5, lead: 0.9 },
    { follower: 2, lead: 2 },
  ]);
});
