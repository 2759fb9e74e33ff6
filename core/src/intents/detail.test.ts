import { song, sung, take, track } from '../score/testing';
import { Step, type Song } from '../song';
import { followed, type WrittenStep } from './testing';

// its patterns come in a form that only bundlers read
jest.mock('../song/hyphenate', () => ({ hyphenate: (word: string) => [word] }));

const takes = { l: sung(60.3, [4, 2]) };
// the take begins 2 s into the song
const made = (): Song => song([track('Lead', [take('l', { offsetSeconds: 2 })])], { key: { tonic: 0, mode: 'major' } });
const follow = async (...steps: WrittenStep[]): Promise<Song> => {
  const start = made();
  const after = await followed(start, steps, takes);
  // what was done is stored, and stored again the same
  expect(Step.between(start, after)!.apply(start)).toEqual(after);
  return after;
};
const edits = (s: Song) => Object.values(s.tracks[0].takes[0].edits).sort((a, b) => a.start - b.start);
const notes = takes.l.notes;
const first = { notes: { index: [0] } };

test('tilt, ends and begin are set, and taken off again', async () => {
  const on = first;
  const steps = [
    { do: 'tilt', on, with: { cents: 30 } },
    { do: 'ends', on, with: { startCents: -40, endCents: 20 } },
    { do: 'begin', on, with: { ms: 120 } },
  ];
  const [edit] = edits(await follow(...steps));
  expect(edit).toMatchObject({ tilt: 30, startCents: -40, endCents: 20, begin: 120 });
  const off = [
    { do: 'tilt', on, with: { cents: 0 } },
    { do: 'ends', on, with: { startCents: 0, endCents: 0 } },
    { do: 'begin', on, with: { ms: null } },
  ];
  const [plain] = edits(await follow(...steps, ...off));
  expect(Object.keys(plain).sort()).toEqual(['end', 'start']);
});

test('a stretch of the song counts for the centre of the note it lies in, in the take’s time', async () => {
  const { start } = notes[0];
  const all = edits(await follow({ do: 'centre', with: { from: start + 2.1, to: start + 2.2 } }));
  expect(all).toHaveLength(1);
  expect(all[0].centre!.start).toBeCloseTo(start + 0.1, 6);
  expect(all[0].centre!.end).toBeCloseTo(start + 0.2, 6);
});

test('vibrato is added with usual values for what is not said, changed in part, and taken off', async () => {
  const [edit] = edits(await follow({ do: 'add-vibrato', on: first, with: { depthCents: 50 } }));
  expect(edit.added).toMatchObject({ depthCents: 50, rateHz: 5.5, delayMs: 250 });
  const [again] = edits(
    await follow(
      { do: 'add-vibrato', on: first, with: { depthCents: 50 } },
      { do: 'add-vibrato', on: first, with: { rateHz: 6.2, sway: 40 } },
    ),
  );
  expect(again.added).toMatchObject({ depthCents: 50, rateHz: 6.2, sway: 40 });
  const [off] = edits(
    await follow({ do: 'add-vibrato', on: first }, { do: 'add-vibrato', on: first, with: { depthCents: 0 } }),
  );
  expect(off.added).toBeUndefined();
});

test('a vibrato that was not sung is not changed', async () => {
  await expect(follow({ do: 'set-vibrato', with: { rateHz: 5 } })).rejects.toThrow(
    'step 1, set-vibrato: none of these notes was sung with vibrato',
  );
});

test('Aim goes by length', async () => {
  // all of them last 800 ms
  const aims = async (shortMs: number, longMs: number) =>
    edits(await follow({ do: 'aim-by-length', with: { shortMs, short: 100, longMs, long: 40 } })).map(e => e.aim);
  expect(new Set(await aims(700, 900))).toEqual(new Set([70]));
  expect(new Set(await aims(850, 900))).toEqual(new Set([100]));
  expect(new Set(await aims(100, 750))).toEqual(new Set([40]));
  const all = edits(await follow({ do: 'aim-by-length', with: { shortMs: 1, short: 100, longMs: 2, long: 40 } }));
  expect(all.every(e => e.target === 60)).toBe(true);
  await expect(follow({ do: 'aim-by-length', with: { shortMs: 300, short: 1, longMs: 200, long: 1 } })).rejects.toThrow(
    'the long note must be longer than the short one',
  );
});

describe('drawing', () => {
  const [a, b] = notes;
  const line = {
    do: 'draw',
    with: {
      points: [
        [a.start + 2.1, 60],
        [b.end + 2 - 0.1, 62],
      ],
    },
  };
  const slope = 2 / (b.end - 0.1 - a.start - 0.1);

  test('a line over two notes is kept with each of them, in the take’s time', async () => {
    const all = edits(await follow(line));
    expect(all).toHaveLength(2);
    const [first, second] = all.map(e => e.drawn![0]);
    expect(first.slice(0, 2)).toEqual([expect.closeTo(a.start + 0.1, 4), 60]);
    expect(first[2]).toBeCloseTo(a.end, 4);
    expect(first[3]).toBeCloseTo(60 + slope * (a.end - a.start - 0.1), 3);
    expect(second.slice(-2)).toEqual([expect.closeTo(b.end - 0.1, 4), 62]);
  });

  test('it goes along when its note is moved, and is erased where asked', async () => {
    const moved = edits(await follow(line, { do: 'move', on: first, with: { semitones: 3 } }));
    expect(moved[0].drawn![0][1]).toBeCloseTo(63, 4);
    const left = edits(await follow(line, { do: 'erase', on: { span: [0, a.start + 2.2] } }));
    expect(left[0].drawn![0][0]).toBeCloseTo(a.start + 0.2, 3);
    const none = edits(await follow(line, { do: 'erase' }));
    expect(none.every(e => !e.drawn)).toBe(true);
    await expect(follow({ do: 'erase' })).rejects.toThrow('nothing was drawn here');
  });

  test('where none was read but something is sung a note is made', async () => {
    const between = { start: a.end + 0.02, end: b.start - 0.02 };
    const points = [
      [between.start + 2, 60],
      [between.end + 2, 61],
    ];
    const s = await follow({ do: 'draw', with: { points } });
    const [made, ...more] = edits(s);
    expect(more).toEqual([]);
    expect(made.start).toBeCloseTo(between.start, 4);
    expect(made.drawn![0].slice(-1)).toEqual([61]);
    const { regions, kinds } = s.tracks[0].takes[0].corrections!;
    expect(regions[0].notes).toEqual([{ start: made.start, end: made.end }]);
    expect(kinds[0]).toMatchObject({ kind: 'sung' });
  });

  test('it snaps to steps when that is asked', async () => {
    const points = [
      [a.start + 2.1, 60.2],
      [a.start + 2.5, 61.4],
    ];
    const pitches = async (snap: string) =>
      edits(await follow({ do: 'draw', with: { points, snap } }))[0].drawn![0].filter((_, i) => i % 2);
    expect(await pitches('key')).toEqual([60, 62]);
    expect(await pitches('semitones')).toEqual([60, 61]);
    expect(await pitches('free')).toEqual([60.2, 61.4]);
  });

  test.each([
    ['one point', [[3, 60]], 'at least two points'],
    [
      'time going back',
      [
        [3, 60],
        [2, 61],
      ],
      'point 2 lies before the one before it',
    ],
    [
      'no note under it',
      [
        [500, 60],
        [501, 61],
      ],
      'nothing lies under this line',
    ],
    [
      'a pitch nobody has',
      [
        [3, 60],
        [4, 200],
      ],
      'points: point 2: 200 is over 128 MIDI',
    ],
    [
      'a text',
      [
        [3, '60'],
        [4, 61],
      ],
      'points: point 1: "60" is no number',
    ],
  ])('%s is refused', async (_, points, message) => {
    await expect(follow({ do: 'draw', with: { points } })).rejects.toThrow(message);
  });
});

describe('a stretch that cuts through a note', () => {
  const [a] = notes;
  const cut = { span: [a.start + 2.2, a.start + 2.5] };

  test('has values of its own; the rest of the note keeps what it had', async () => {
    const s = await follow(
      { do: 'shape', on: first, with: { wander: 80 } },
      { do: 'shape', on: cut, with: { wander: 10, vibrato: 40 } },
    );
    const [edit] = edits(s);
    expect(edit.wander).toBe(80);
    expect(edit.parts).toEqual([
      {
        start: expect.closeTo(a.start + 0.2, 6) as number,
        end: expect.closeTo(a.start + 0.5, 6) as number,
        wander: 10,
        vibrato: 40,
      },
    ]);
  });

  test('is drawn to its pitch alone when only there is something aimed', async () => {
    const [edit] = edits(await follow({ do: 'shape', on: cut, with: { aim: 60 } }));
    expect(edit).toMatchObject({ target: 60, aim: 0, parts: [{ aim: 60 }] });
  });

  test('goes over what was said before of a part of it, and is forgotten with all of the note', async () => {
    const wider = { span: [a.start + 2.1, a.start + 2.3] };
    const steps = [
      { do: 'shape', on: cut, with: { wander: 10 } },
      { do: 'shape', on: wider, with: { wander: 50 } },
    ];
    const [edit] = edits(await follow(...steps));
    expect(
      edit.parts!.map(p => [Math.round((p.start - a.start) * 10), Math.round((p.end - a.start) * 10), p.wander]),
    ).toEqual([
      [1, 3, 50],
      [3, 5, 10],
    ]);
    const [whole] = edits(await follow(...steps, { do: 'shape', on: first, with: { wander: 30 } }));
    expect(whole.wander).toBe(30);
    expect(whole.parts).toBeUndefined();
    const [off] = edits(await follow(...steps, { do: 'shape', on: cut, with: { wander: null } }));
    expect(off.parts).toHaveLength(1);
  });
});

test('a settle time draws a note to its rail; it is put on the nearest step for that, and by its faders again', async () => {
  const [edit] = edits(await follow({ do: 'shape', on: first, with: { settleMs: 40 } }));
  expect(edit).toMatchObject({ settle: 40, target: 60 });
  const [plain] = edits(
    await follow(
      { do: 'shape', on: first, with: { settleMs: 40 } },
      { do: 'shape', on: first, with: { settleMs: null } },
    ),
  );
  expect(plain.settle).toBeUndefined();
  const [later] = edits(await follow({ do: 'shape', on: first, with: { glidePlaceMs: 30 } }));
  expect(later.glidePlace).toBe(30);
});
