import { TimeMap } from '../song/timemap';
import { leadAt } from './lean-to';

const lead = {
  cents: Float64Array.from({ length: 100 }, (_, k) => (k < 10 ? NaN : 6000 + k)),
  levelDb: Float64Array.from({ length: 100 }, (_, k) => -k / 10),
  hop: 0.01,
};

test('a follower leans to what is sung at its counterpart, and to nothing where there is none', () => {
  const late = TimeMap.shift(-0.1);
  const { cents, levelDb } = leadAt(lead, 220, 0.005, late, [{ start: 0.5, end: 0.6 }]);
  // frame 100 is .5 s, heard in the lead at .4 s
  expect(cents[90]).toBe(6035);
  expect(levelDb[90]).toBeCloseTo(-3.5);
  expect(cents[110]).toBeNaN();
  expect(levelDb[110]).toBeNaN();
  expect(cents[130]).toBe(6055);
  // before the lead sings, before it begins and after it ends
  for (const k of [0, 10, 38, 219]) expect([cents[k], levelDb[k]]).toEqual([NaN, NaN]);
});
