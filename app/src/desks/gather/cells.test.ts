import { columnsOf, timeOfX, xOfTime } from './cells';

const phrases = [
  { start: 1, end: 3 },
  { start: 4, end: 10 },
  { start: 12, end: 13 },
];

describe('columns of phrases', () => {
  const columns = columnsOf(phrases, 700);

  it('fill the room, longer phrases wider', () => {
    const last = columns[2];
    expect(last.left + last.width).toBeCloseTo(700, 6);
    expect(columns[1].width).toBeGreaterThan(columns[0].width);
    expect(columnsOf([], 700)).toEqual([]);
  });

  it('never become too narrow to read: many phrases are wider than the room', () => {
    const many = columnsOf(
      Array.from({ length: 40 }, (_, i) => ({ start: 3 * i, end: 3 * i + 2 })),
      700,
    );
    expect(Math.min(...many.map(c => c.width))).toBeGreaterThanOrEqual(58);
  });

  it('map time to place and back, in phrases and between', () => {
    for (const t of [1, 2.2, 3.1, 3.5, 4, 9.9, 11, 12.5, 13])
      expect(timeOfX(columns, xOfTime(columns, t))).toBeCloseTo(t, 6);
    expect(xOfTime(columns, 0)).toBe(0);
    expect(xOfTime(columns, 99)).toBeCloseTo(700, 6);
  });
});
