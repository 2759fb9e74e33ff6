import { movedStrokes, strokesWith, strokesWithout, strokeWithin } from './strokes';

const slope = [1, 60, 2, 62];

test('a part of a stroke begins and ends on it', () => {
  expect(strokeWithin(slope, { start: 1.25, end: 1.5 })).toEqual([1.25, 60.5, 1.5, 61]);
  expect(strokeWithin(slope, { start: 0, end: 9 })).toEqual(slope);
  expect(strokeWithin(slope, { start: 2, end: 3 })).toBeNull();
});

test('another stroke cuts what lay under it', () => {
  const all = strokesWith([slope], [1.4, 65, 1.6, 65]);
  expect(all.map(s => [s[0], s[s.length - 2]])).toEqual([
    [1, expect.closeTo(1.4, 3)],
    [1.4, 1.6],
    [expect.closeTo(1.6, 3), 2],
  ]);
  // times rise throughout, as the document asks
  const times = all.flatMap(s => s.filter((_, i) => i % 2 === 0));
  expect(times.every((t, i) => !i || t > times[i - 1])).toBe(true);
});

test('a stretch is erased, and nothing but it', () => {
  expect(strokesWithout([slope], { start: 0, end: 3 })).toEqual([]);
  expect(strokesWithout([slope], { start: 1.5, end: 3 })).toEqual([[1, 60, 1.5, 61]]);
});

test('strokes are moved within bounds', () => {
  expect(movedStrokes([[0, 127, 1, 3]], 5)).toEqual([[0, 128, 1, 8]]);
});
