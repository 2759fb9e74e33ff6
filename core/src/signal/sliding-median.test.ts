import { median } from './statistics';
import { seededRandom } from './random';
import { SlidingMedian } from './sliding-median';

test('a stretch that moves on has the median of what lies in it, however far it goes at once', () => {
  const random = seededRandom(5);
  const values = Float64Array.from({ length: 400 }, () => Math.round(20 * random.uniform()));
  const sliding = new SlidingMedian(values, 31);
  let [from, to] = [0, 1];
  for (;;) {
    const length = to - from;
    if (length % 2) expect(sliding.over(from, to)).toBe(median(values.subarray(from, to)));
    else {
      const sorted = [...values.subarray(from, to)].sort((a, b) => a - b);
      expect(sliding.over(from, to)).toBe(sorted[length / 2]);
    }
    // now and then past all that was in it
    from += random.uniform() < 0.05 ? 40 : Math.floor(3 * random.uniform());
    to = Math.max(to, from + 1 + Math.floor(30 * random.uniform()));
    to = Math.min(to, from + 31);
    if (to > values.length) break;
  }
});
