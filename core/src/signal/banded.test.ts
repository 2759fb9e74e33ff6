import fc from 'fast-check';
import { BandedSystem } from './banded';

/** A symmetric matrix that is positive definite, for its diagonal outweighs the rest of each row. */
const systems = fc.integer({ min: 1, max: 12 }).chain(n =>
  fc.integer({ min: 0, max: Math.min(4, n - 1) }).chain(bandwidth =>
    fc.record({
      n: fc.constant(n),
      bandwidth: fc.constant(bandwidth),
      beside: fc.array(fc.double({ min: -1, max: 1, noNaN: true }), { minLength: n * 4, maxLength: n * 4 }),
      x: fc.array(fc.double({ min: -100, max: 100, noNaN: true }), { minLength: n, maxLength: n }),
    }),
  ),
);

test('a banded system gives back what it was multiplied from', () => {
  fc.assert(
    fc.property(systems, ({ n, bandwidth, beside, x }) => {
      const full = Array.from({ length: n }, () => new Float64Array(n));
      const system = new BandedSystem(n, bandwidth);
      const put = (i: number, j: number, value: number) => {
        system.add(i, j, value);
        full[i][j] += value;
        if (i !== j) full[j][i] += value;
      };
      for (let i = 0; i < n; i++) {
        put(i, i, 2 * bandwidth + 1);
        for (let d = 1; d <= Math.min(bandwidth, i); d++) put(i, i - d, beside[i * 4 + d - 1]);
      }
      const right = Float64Array.from(full, row => row.reduce((s, v, j) => s + v * x[j], 0));
      system.factor();
      // b' A^-1 b = x' b, from half the solution; also where b begins late
      for (const first of [0, n >> 1]) {
        const late = right.map((v, i) => (i < first ? 0 : v));
        const half = system.reduce(late.slice(), first);
        const solved = system.solve(late.slice());
        expect(half.reduce((s, v) => s + v * v, 0)).toBeCloseTo(
          late.reduce((s, v, i) => s + v * solved[i], 0),
          6,
        );
      }
      system.solve(right).forEach((v, i) => expect(v).toBeCloseTo(x[i], 8));
    }),
  );
});

test('one factoring serves several right sides', () => {
  const system = new BandedSystem(3, 1);
  for (let i = 0; i < 3; i++) system.add(i, i, 2);
  system.add(1, 0, -1);
  system.add(2, 1, -1);
  system.factor();
  for (const x of [
    [1, 2, 3],
    [-4, 0, 7],
  ]) {
    const right = Float64Array.of(2 * x[0] - x[1], -x[0] + 2 * x[1] - x[2], -x[1] + 2 * x[2]);
    system.solve(right).forEach((v, i) => expect(v).toBeCloseTo(x[i], 9));
  }
});
