import fc from 'fast-check';
import { levelLeanDb } from './level-lean';

const N = 800;
const voiced = new Float64Array(N).fill(1);
const curve = (make: (k: number) => number) => Float64Array.from({ length: N }, (_, k) => make(k));
/** Swells that a lead makes and its follower does not. */
const swell = curve(k => -20 + 4 * Math.sin(k / 60));
const flat = curve(() => -26);
const spread = (x: ArrayLike<number>) => {
  const mean = Array.from(x).reduce((s, v) => s + v, 0) / x.length;
  return Math.sqrt(Array.from(x).reduce((s, v) => s + (v - mean) ** 2, 0) / x.length);
};

test('a follower swells as its lead does, by as much as is asked, and keeps its own loudness on the whole', () => {
  for (const amount of [0, 50, 100]) {
    const db = levelLeanDb(flat, voiced, { lead: swell, amount });
    expect(spread(db)).toBeCloseTo((amount / 100) * spread(swell), 0);
    const mean = db.reduce((s, v) => s + v, 0) / N;
    expect(Math.abs(mean)).toBeLessThan(0.5);
  }
  const left = levelLeanDb(flat, voiced, { lead: swell, amount: 100 }).map((v, k) => v + flat[k] - swell[k]);
  expect(spread(left)).toBeLessThan(0.15 * spread(swell));
});

test('what nobody sings with it is left, and consonants go along with their word', () => {
  const lead = swell.slice();
  lead.fill(NaN, 300, 320);
  lead.fill(NaN, 500, 800);
  const db = levelLeanDb(flat, voiced, { lead, amount: 100 });
  expect(db.slice(560).every(v => v === 0)).toBe(true);
  expect(Math.abs(db[310] - (db[298] + db[322]) / 2)).toBeLessThan(0.3);
});

test('the end of a sound is not its loudness: it is let go', () => {
  const fading = curve(k => (k < 700 ? -26 : -26 - (k - 700)));
  const db = levelLeanDb(fading, voiced, { lead: curve(() => -20), amount: 100 });
  expect(Math.max(...db.slice(0, 700))).toBeLessThan(2);
  expect(Math.max(...db.slice(730))).toBeLessThan(4);
  expect(db.slice(760).every(v => v === 0)).toBe(true);
});

test('whatever is sung, nothing steps by more than 1.5 dB in 5 ms, and limits are kept', () => {
  const level = fc.array(fc.integer({ min: -60, max: 0 }), { minLength: 3, maxLength: 12 });
  fc.assert(
    fc.property(level, level, fc.integer({ min: 0, max: 100 }), (a, b, amount) => {
      const steps = (x: number[]) => curve(k => x[Math.floor((k * x.length) / N)]);
      const sings = curve(k => (b[Math.floor((k * b.length) / N)] > -50 ? 1 : 0));
      const db = levelLeanDb(steps(a), sings, { lead: steps(b), amount });
      expect(Math.max(...db)).toBeLessThanOrEqual(6);
      expect(Math.min(...db)).toBeGreaterThanOrEqual(-9);
      expect(Math.max(...db.map((v, k) => (k ? Math.abs(v - db[k - 1]) : 0)))).toBeLessThan(1.5);
    }),
    { numRuns: 40 },
  );
});

test('silence leans to nothing', () => {
  expect(levelLeanDb(flat, new Float64Array(N), { lead: swell, amount: 100 }).every(v => v === 0)).toBe(true);
  expect(levelLeanDb(flat, voiced, { lead: curve(() => NaN), amount: 100 }).every(v => v === 0)).toBe(true);
});
