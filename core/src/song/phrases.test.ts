import {
  findPhrases,
  joinBetween,
  mergePhrases,
  movePhraseBorder,
  phraseAsHeard,
  phraseSpan,
  setPhrase,
  splitPhrase,
} from './phrases';

const notes = [
  { start: 1, end: 1.6 },
  { start: 1.6, end: 2.4 },
  { start: 4, end: 5 },
  { start: 5.05, end: 6 },
  { start: 7, end: 8 },
];
const phrases = findPhrases(notes);

describe('phrases', () => {
  it('are parted by a breath in a short rest', () => {
    const list = [
      { start: 0, end: 1 },
      { start: 1.2, end: 2.5 },
    ];
    expect(findPhrases(list)).toHaveLength(1);
    expect(findPhrases(list, [{ start: 1.02, end: 1.18 }])).toHaveLength(2);
    expect(findPhrases(list, [{ start: 0, end: 0.1 }])).toHaveLength(1);
  });

  it('of several takes together span them all', () => {
    const both = [...notes, { start: 0.9, end: 1.5 }, { start: 2.3, end: 2.6 }].sort((a, b) => a.start - b.start);
    expect(findPhrases(both)[0]).toMatchObject({ start: 0.9, end: 2.6 });
  });

  it('join in the rest between them', () => {
    expect(joinBetween({ start: 0, end: 2 }, { start: 3, end: 4 })).toBe(2.5);
    expect(joinBetween({ start: 0, end: 2 }, { start: 1.9, end: 4 })).toBe(2);
    expect(phraseSpan(phrases, 0)).toEqual({ from: 0, to: 3.2 });
    expect(phraseSpan(phrases, phrases.length - 1).to).toBe(Infinity);
  });

  it('move a border between the neighbours only', () => {
    expect(movePhraseBorder(phrases, 1, 'start', 3.5)[1].start).toBe(3.5);
    expect(movePhraseBorder(phrases, 1, 'start', 0)[1].start).toBe(2.4);
    expect(movePhraseBorder(phrases, 1, 'end', 3)[1].end).toBeCloseTo(4.05, 9);
    expect(movePhraseBorder(phrases, 2, 'end', 99)[2].end).toBe(99);
  });

  it('are split and joined again, remarks and ticks kept', () => {
    const remark = { id: 'r', text: 'softer', from: 'client' as const, author: 'Mira' };
    const marked = setPhrase(phrases, 1, { checked: true, remarks: [remark] });
    const split = splitPhrase(marked, 1, 5);
    expect(split.map(p => [p.start, p.end])).toEqual([
      [1, 2.4],
      [4, 5],
      [5, 6],
      [7, 8],
    ]);
    expect(new Set(split.map(p => p.id)).size).toBe(4);
    const merged = mergePhrases(split, 1);
    expect(merged[1]).toMatchObject({ start: 4, end: 6, checked: true, remarks: [remark] });
    expect(splitPhrase(marked, 1, 3)).toEqual(marked);
    expect(mergePhrases(marked, 2)).toEqual(marked);
  });

  it('last as long as their notes are heard', () => {
    const two = [
      { start: 1, end: 2 },
      { start: 4, end: 5 },
    ];
    const heard = [
      { start: 0.9, end: 1.5 },
      { start: 1.5, end: 3.6 },
      { start: 4.1, end: 4.8 },
    ];
    // what begins before every phrase is nobody's
    expect(phraseAsHeard(heard.slice(1), two, 0)).toEqual({ start: 1, end: 3.6 });
    expect(phraseAsHeard(heard, two, 1)).toEqual({ start: 4, end: 5 });
    expect(() => phraseAsHeard(heard, two, 2)).toThrow(RangeError);
  });
});
