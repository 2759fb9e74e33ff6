import { AlignRule, FoundAlignment, type Song } from '../song';
import { counterpartsOf, Score, stackReport, stackReportCsv, type TakeView } from '../score';
import { heardView, readingOf, song, take, track } from '../score/testing';
import { followed, type WrittenStep } from './testing';

/** A lead of four notes a second long; a double that is late and flat, and sings a fifth note alone. */
const view = (pitches: readonly number[], late: readonly number[], off: number, length = 0.8): TakeView => {
  const line = new Float32Array(200 * 7).fill(NaN);
  const notes = pitches.map((p, i): [number, number] => {
    const start = i + 0.1 + late[i];
    line.fill(p + off, Math.round(200 * start), Math.round(200 * (start + length)));
    return [start, start + length];
  });
  return heardView(readingOf(line, notes), take('x'));
};
const LATE = [0.06, -0.04, 0.08, 0.02, 0];
const takes = {
  l: view([62, 64, 66, 64], [0, 0, 0, 0], 0),
  d: view([62, 64, 66, 64, 67], LATE, -0.35, 0.7),
  h: view([66, 67, 69, 67], [0.03, 0, 0, 0], 0.3),
};
const found = (late: readonly number[], apart: { start: number; end: number }[]) => {
  const points = late.flatMap((d, i) => [i + 0.1 + d, i + 0.1, i + 0.8 + d, i + 0.9]);
  return Object.assign(new FoundAlignment(), { stamp: 'x', points, apart, rests: [], confidence: 1 });
};
const made = (): Song =>
  song(
    [
      track('Lead', [take('l')]),
      track('Double', [take('d')], {
        role: 'double',
        followsId: 'Lead',
        align: Object.assign(new AlignRule(), { closeness: 0 }),
        found: found(LATE.slice(0, 4), [{ start: 4.05, end: 4.9 }]),
      }),
      track('High', [take('h')], {
        role: 'harmony',
        followsId: 'Lead',
        align: Object.assign(new AlignRule(), { closeness: 0 }),
        found: found([0.03, 0, 0, 0], []),
      }),
    ],
    { key: { tonic: 2, mode: 'major' } },
  );
const follow = (steps: WrittenStep[], start = made()) => followed(start, steps, takes);
const score = (s: Song) => new Score(s, takes);
const notes = (s: Song, name: string) => score(s).view(name).notes;

test('borders go to the lead’s, of those that have a counterpart', async () => {
  const s = await follow([{ do: 'pull', on: { tracks: 'Double' }, with: { what: 'borders' } }]);
  notes(s, 'Double')
    .slice(0, 4)
    .forEach((n, i) => {
      expect(n.start).toBeCloseTo(i + 0.1, 3);
      expect(n.end).toBeCloseTo(i + 0.9, 3);
    });
  // what is sung alone stays
  expect(notes(s, 'Double')[4].start).toBeCloseTo(4.1, 3);
  const one = await follow([
    { do: 'pull', on: { tracks: 'Double', notes: { index: [2] } }, with: { what: 'borders' } },
  ]);
  expect(notes(one, 'Double')[2].start).toBeCloseTo(2.1, 3);
  expect(notes(one, 'Double')[0].start).toBeCloseTo(0.16, 3);
});

test('pitch goes to the lead’s: a double to what it sings, a harmony keeps its interval', async () => {
  const s = await follow([{ do: 'pull', on: { tracks: ['Double', 'High'] }, with: { what: 'pitch' } }]);
  const targets = (name: string) => {
    const { notes: list, edits } = score(s).view(name);
    return list.map(n => edits[n.key]?.target);
  };
  expect(targets('Double')).toEqual([62, 64, 66, 64, undefined]);
  expect(targets('High')).toEqual([66, 67, 69, 67]);
  // a lead that was tuned is what they go to
  const tuned = await follow([
    { do: 'place', on: { tracks: 'Lead', notes: { index: [0] } }, with: { pitch: 61 } },
    { do: 'pull', on: { tracks: 'Double', notes: { index: [0] } }, with: { what: 'pitch' } },
  ]);
  expect(Object.values(tuned.tracks[1].takes[0].edits)[0].target).toBeDefined();
});

test.each([
  ['who follows nobody', { do: 'pull', on: { tracks: 'Lead' }, with: { what: 'pitch' } }, /has a counterpart/],
  [
    'what is sung alone',
    { do: 'pull', on: { tracks: 'Double', notes: { index: [4] } }, with: { what: 'pitch' } },
    /counterpart/,
  ],
  ['nothing said', { do: 'pull', on: { tracks: 'Double' } }, /"what" is missing/],
])('refuses %s', async (_, step, message) => {
  await expect(follow([step])).rejects.toThrow(message);
});

describe('the report', () => {
  test('tells every syllable before and after, the worst first, those alone last', async () => {
    const before = stackReport(score(made()), made().tracks.slice(1));
    expect(before).toHaveLength(9);
    expect(before[0]).toMatchObject({ track: 'Double', key: notes(made(), 'Double')[2].key });
    expect(before[0].msAfter).toBeCloseTo(80, 0);
    expect(before[0].centsBefore).toBeCloseTo(-35, 0);
    expect(before[8]).toMatchObject({ msAfter: null, centsAfter: null });
    const s = await follow([{ do: 'pull', on: { tracks: 'Double' }, with: { what: 'borders' } }]);
    const after = stackReport(score(s), [s.tracks[1]]);
    for (const r of after.filter(q => q.msAfter !== null)) {
      expect(Math.abs(r.msAfter!)).toBeLessThan(1);
      expect(Math.abs(r.msBefore!)).toBeGreaterThan(10);
    }
    expect(counterpartsOf(score(s), s.tracks[0])).toBeNull();
  });

  test('is a table that no table program takes for a formula', () => {
    const [row] = stackReport(score(made()), [made().tracks[1]]);
    const csv = stackReportCsv([{ ...row, word: '=cmd("x")', track: 'a,b' }]);
    expect(csv.split('\n')[1].startsWith('"a,b","\'=cmd(""x"")",2.180,80.0,80.0')).toBe(true);
  });
});
