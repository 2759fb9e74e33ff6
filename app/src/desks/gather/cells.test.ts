import { semitones } from '@essim/core';
import { sung, take, tempo, track } from '../../testing';
import { columnsOf, cutsIn, reshaped, scoreCells, timeOfX, xOfTime } from './cells';

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

describe('a stretch of a cell', () => {
  // eight notes, one a second
  const view = sung(60, [8]);
  const phrase = { start: 10, end: 10 + view.notes.at(-1)!.end };
  const cuts = cutsIn(view, 10, phrase, { from: 9.4, to: Infinity });

  it('may be cut at its ends and between its syllables', () => {
    expect(cuts).toHaveLength(view.notes.length + 1);
    expect(cuts[0]).toBe(9.4);
    cuts.slice(1, -1).forEach((c, i) => {
      expect(c).toBeGreaterThanOrEqual(10 + view.notes[i].end - 1e-9);
      expect(c).toBeLessThanOrEqual(10 + view.notes[i + 1].start + 1e-9);
    });
  });

  it('begins with one syllable, grows and shrinks at either end, and is gone when nothing is left', () => {
    let s = reshaped(cuts, null, 'to', 1);
    expect(s).toEqual({ from: cuts[0], to: cuts[1] });
    s = reshaped(cuts, s, 'to', 1);
    s = reshaped(cuts, s, 'from', 1);
    expect(s).toEqual({ from: cuts[1], to: cuts[2] });
    expect(reshaped(cuts, s, 'to', -1)).toBeNull();
    expect(reshaped(cuts, s, 'from', -1)).toEqual({ from: cuts[0], to: cuts[2] });
    expect(reshaped(cuts, { from: cuts[0], to: cuts.at(-1)! }, 'to', 1)).toEqual({ from: cuts[0], to: cuts.at(-1) });
    expect(reshaped(cuts, null, 'from', 1)).toEqual({ from: cuts[1], to: cuts.at(-1) });
    expect(reshaped([], null, 'to', 1)).toBeNull();
  });
});

describe('scores of cells', () => {
  /** In time of each take, sung so many seconds later than written down, against beats 40 ms before the first. */
  const late = (...offsets: number[]) => {
    const takes = offsets.map((offsetSeconds, i) => take(`t${i}`, { offsetSeconds }));
    const views = Object.fromEntries(takes.map(t => [t.id, sung(60, [8])]));
    const phrase = { id: 'p', name: '', start: 0, end: 9, checked: false, remarks: [] };
    const grid = tempo(60, { firstBarSeconds: 0.11 });
    const [{ cells }] = scoreCells(track('lead', takes), views, [phrase], grid, () => semitones());
    return cells.map(c => c.time);
  };

  it('do not hold against takes what all of them share: the latency of their headphones', () => {
    const [one] = late(0);
    expect(one).toMatchObject({ share: 1 });
    expect(one.meanSeconds).toBeLessThan(0.001);
    const [a, b, c] = late(0, 0, 0.07);
    expect([a.share, b.share]).toEqual([1, 1]);
    expect(c.share).toBe(0);
  });
});
