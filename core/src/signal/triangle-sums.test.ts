import fc from 'fast-check';
import { seededRandom } from './random';
import { TriangleSums } from './triangle-sums';

/** The same by its definition: weights falling from the middle to nothing at the reach, over what there is. */
function meanByHand(products: number[], centre: number, half: number): number {
  let sum = 0;
  let weight = 0;
  for (let d = 1 - half; d < half; d++) {
    const k = centre + d;
    if (k < 0 || k >= products.length) continue;
    sum += (half - Math.abs(d)) * products[k];
    weight += half - Math.abs(d);
  }
  return sum / weight;
}

const noise = (n: number, seed: number) => {
  const random = seededRandom(seed);
  return Float32Array.from({ length: n }, () => random.normal());
};

describe('means under triangles', () => {
  /** Taken again and again, as it is where sound is made. */
  const reused = new TriangleSums();
  it('are what their definition says, wherever and however wide, at the ends too', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 1, max: 80 }),
        fc.integer({ min: -1000, max: 1000 }),
        fc.integer({ min: 0, max: 79 }),
        fc.integer({ min: 1, max: 120 }),
        fc.integer(),
        (n, from, at, half, seed) => {
          const [p, q] = [noise(n, seed), noise(n, seed + 1)];
          const centre = Math.min(at, n - 1);
          const sums = reused.over(from, from + n).add(p, q);
          const products = Array.from(p, (v, i) => v * q[i]);
          expect(sums.mean(from + centre, half)).toBeCloseTo(meanByHand(products, centre, half), 7);
        },
      ),
    );
  });

  it('count every channel that is added', () => {
    const channels = [1, 2, 3].map(seed => noise(300, seed));
    const sums = new TriangleSums().over(0, 300);
    channels.forEach(x => sums.add(x, x));
    const powers = Array.from({ length: 300 }, (_, i) => channels.reduce((s, x) => s + x[i] * x[i], 0));
    for (const at of [0, 77, 299]) expect(sums.mean(at, 40)).toBeCloseTo(meanByHand(powers, at, 40), 7);
  });

  it('do not see a tone swing when they are whole periods of its power wide', () => {
    const period = 96;
    const tone = Float32Array.from({ length: 4000 }, (_, i) => Math.sin((2 * Math.PI * i) / period));
    const sums = new TriangleSums().over(0, tone.length).add(tone, tone);
    const means = Array.from({ length: 400 }, (_, i) => sums.mean(1500 + i, period));
    expect(Math.max(...means) - Math.min(...means)).toBeLessThan(1e-6);
    expect(means[0]).toBeCloseTo(0.5, 6);
  });
});
