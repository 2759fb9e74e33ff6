import { leanCents } from './lean';

const N = 200;
const voiced = new Uint8Array(N).fill(1);
const notes = [
  { start: 0, end: 100 },
  { start: 100, end: 200 },
];
const line = (a: number, b: number) => Float64Array.from({ length: N }, (_, k) => (k < 100 ? a : b));

test('a double comes nearer to its lead, an octave away as well', () => {
  for (const octave of [0, 1200, -2400]) {
    const lean = leanCents(line(6000, 6230), voiced, notes, { lead: line(6040 + octave, 6200 + octave), amount: 50 });
    expect(lean[50]).toBeCloseTo(20, 3);
    expect(lean[150]).toBeCloseTo(-15, 3);
  }
});

test('a harmony keeps its interval', () => {
  const lean = leanCents(line(6420, 6690), voiced, notes, { lead: line(6000, 6200), amount: 100 });
  expect(lean[50]).toBeCloseTo(-20, 3);
  expect(lean[150]).toBeCloseTo(10, 3);
});

test('a note without a counterpart is left, and nothing steps where notes join', () => {
  const lead = line(6040, NaN);
  const lean = leanCents(line(6000, 6200), voiced, notes, { lead, amount: 100 });
  expect(lean[50]).toBeCloseTo(40, 3);
  expect(lean[180]).toBe(0);
  for (let k = 1; k < N; k++) expect(Math.abs(lean[k] - lean[k - 1])).toBeLessThan(5);
  expect(leanCents(line(6000, 6200), voiced, notes, { lead, amount: 0 }).every(v => v === 0)).toBe(true);
});
