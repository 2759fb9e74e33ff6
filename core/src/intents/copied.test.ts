import { song, sung, take, track } from '../score/testing';
import type { NoteEdit, Song } from '../song';
import { followed, type WrittenStep } from './testing';
import { pairedByShape } from './copied';

// its patterns come in a form that only bundlers read
jest.mock('../song/hyphenate', () => ({ hyphenate: (word: string) => [word] }));

/** Two phrases of three notes each on the same pitches, a double of them, a third higher. */
const takes = { l: sung(60.3, [3, 3]), d: sung(64.2, [3, 3]) };
const made = (): Song =>
  song([track('Lead', [take('l')]), track('High', [take('d')], { role: 'harmony' })], {
    key: { tonic: 0, mode: 'major' },
  });
const follow = (...steps: WrittenStep[]): Promise<Song> => followed(made(), steps, takes);
const editsOf = (s: Song, name = 'Lead'): NoteEdit[] =>
  Object.values(s.tracks.find(t => t.name === name)!.takes[0].edits).sort((a, b) => a.start - b.start);
const lead = (notes: object) => ({ tracks: 'Lead', notes });
const first: WrittenStep[] = [
  { do: 'place', on: lead({ index: [0] }), with: { pitch: 62 } },
  { do: 'shape', on: lead({ index: [1] }), with: { wander: 40 } },
  {
    do: 'draw',
    on: lead({ index: [2] }),
    with: {
      points: [
        [2.3, 60],
        [2.7, 61],
      ],
    },
  },
];

test('a phrase’s edits on its repeat', async () => {
  const all = editsOf(
    await follow(...first, { do: 'copy-edits', on: lead({ index: [3, 4, 5] }), with: { from: 0, to: 3 } }),
  );
  expect(all).toHaveLength(6);
  expect(all[3]).toMatchObject({ target: 62 });
  // where somebody put one note by hand says nothing of the other
  expect(all[3].pinned).toBeUndefined();
  expect(all[4]).toMatchObject({ wander: 40 });
  expect(all[5].drawn![0]).toEqual([6.3, 60, 6.7, 61].map(v => expect.closeTo(v, 3)));
});

test('a lead’s edits on a harmony keep to its own steps', async () => {
  const after = await follow(...first, {
    do: 'copy-edits',
    on: { tracks: 'High', notes: { index: [0, 1, 2] } },
    with: { of: 'Lead', from: 0, to: 3 },
  });
  const [a, b, c] = editsOf(after, 'High');
  expect(a.target).toBeCloseTo(66, 6);
  expect(b.wander).toBe(40);
  expect(c.drawn![0][1]).toBeCloseTo(63.9, 3);
});

test('pinned notes stay, and what has no counterpart is refused', async () => {
  const all = editsOf(
    await follow(
      ...first,
      { do: 'place', on: lead({ index: [3] }), with: { pitch: 57 } },
      { do: 'copy-edits', on: lead({ index: [3, 4, 5] }), with: { from: 0, to: 3 } },
    ),
  );
  expect(all[3].target).toBe(57);
  const copy = (fields: object) => follow({ do: 'copy-edits', on: { tracks: 'Lead' }, with: fields });
  await expect(copy({ from: 0, to: 3 })).rejects.toThrow('nothing was edited there');
  await expect(copy({ from: 3, to: 3 })).rejects.toThrow('to must lie after from');
  await expect(copy({ of: 'Nobody', from: 0, to: 3 })).rejects.toThrow('there is no track "Nobody"');
});

test('a note too many or too few is left out, whatever the tempo', () => {
  const melody = [60, 62, 64, 65, 64, 60];
  const sing = (pitches: number[], pace: number) =>
    pitches.map((p, i) => ({ start: 10 + i * pace, end: 10 + (i + 0.9) * pace, sung: p }));
  const all = (pairs: [number, number][]) => pairs.map(([i, j]) => `${i}${j}`).join(' ');
  expect(all(pairedByShape(sing(melody, 0.5), sing(melody, 0.8)))).toBe('00 11 22 33 44 55');
  const without = melody.filter((_, i) => i !== 2);
  expect(all(pairedByShape(sing(melody, 0.5), sing(without, 0.6)))).toMatch(/00 11.*43.*54/);
});
