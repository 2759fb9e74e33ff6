import { Take } from './document';
import { replaceRecording } from './replace';

describe('a replaced recording', () => {
  const take = Object.assign(new Take(), {
    id: 'a',
    name: 'Take 1',
    sourceId: 'a'.repeat(64),
    offsetSeconds: 1,
    edits: {
      n500: { start: 0.5, end: 1, target: 60 },
      n3000: { start: 3, end: 4, target: 62, pinned: true },
      n8000: { start: 8, end: 9, target: 64 },
    },
    words: [
      { text: 'ferry', start: 3, end: 4 },
      { text: 'lamp', start: 5, end: 6 },
    ],
  });

  it('takes edits and words along, stays at its place in the song, and lists what no longer fits', () => {
    const { fields, lost } = replaceRecording(take, 'b'.repeat(64), -0.6, 8, [{ start: 4.9, end: 6.1 }]);
    expect(fields.offsetSeconds).toBeCloseTo(1.6, 9);
    expect(Object.values(fields.edits)).toEqual([{ start: 2.4, end: 3.4, target: 62, pinned: true }]);
    expect(Object.keys(fields.edits)).toEqual(['n2400']);
    expect(fields.words).toEqual([{ text: 'ferry', start: 2.4, end: 3.4 }]);
    expect(lost.map(l => [l.what, l.start])).toEqual([
      ['edit', 0.5],
      ['edit', 8],
      ['word', 5],
    ]);
  });
});
