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
    expect(Object.keys(fields.edits)).toEqual(['n3000']);
    expect(fields.words).toEqual([{ text: 'ferry', start: 2.4, end: 3.4 }]);
    expect(lost.map(l => [l.what, l.start])).toEqual([
      ['edit', 0.5],
      ['edit', 8],
      ['word', 5],
    ]);
  });

  it('takes along what was put right in the reading', () => {
    const corrected = Object.assign(new Take(), take, {
      corrections: {
        heard: [{ start: 3, end: 4, midi: 62 }],
        regions: [{ start: 2, end: 4, notes: [{ start: 2, end: 3 }] }],
        kinds: [{ start: 0.1, end: 0.3, kind: 'breath' }],
        looked: ['octave 3000'],
      },
    });
    const { fields, lost } = replaceRecording(corrected, 'b'.repeat(64), -0.5, 20, []);
    expect(fields.corrections).toEqual({
      heard: [{ start: 2.5, end: 3.5, midi: 62 }],
      regions: [{ start: 1.5, end: 3.5, notes: [{ start: 1.5, end: 2.5 }] }],
      kinds: [],
      looked: [],
    });
    expect(lost.filter(l => l.what === 'correction').map(l => l.start)).toEqual([0.1]);
    expect(replaceRecording(take, 'b'.repeat(64), 0, 20, []).fields.corrections).toBeNull();
  });
});
