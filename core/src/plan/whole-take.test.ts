import { scaleOfKey, semitones } from '../music';
import { followSteps, stepRuns, USUAL_SLACK } from './whole-take';

/** Cents: 60 is C4. Frames of 5 ms. */
const held = (...parts: [frames: number, cents: number][]) =>
  Float64Array.from(parts.flatMap(([n, c]) => new Array<number>(n).fill(c)));
const runs = (steps: readonly number[]) =>
  steps.reduce<[number, number][]>((out, c) => {
    const last = out[out.length - 1];
    if (last?.[0] === c) last[1]++;
    else out.push([c, 1]);
    return out;
  }, []);

describe('the steps a line belongs to', () => {
  test('are those it is nearest to', () => {
    expect(runs(followSteps(held([60, 6010], [60, 6190]), semitones(), USUAL_SLACK))).toEqual([
      [6000, 60],
      [6200, 60],
    ]);
  });

  test('a stray within slack, in cents or in time, is the same step', () => {
    const far = held([60, 6000], [12, 6090], [60, 6000]);
    expect(runs(followSteps(far, semitones(), USUAL_SLACK))).toEqual([[6000, 132]]);
    const near = held([60, 6000], [80, 6065], [60, 6000]);
    expect(runs(followSteps(near, semitones(), USUAL_SLACK))).toEqual([[6000, 200]]);
    expect(runs(followSteps(near, semitones(), { cents: 10, ms: 80 }))).toHaveLength(3);
  });

  test('a change is dated back to where the line crossed, not to when it was believed', () => {
    const slide = Float64Array.from({ length: 120 }, (_, k) => (k < 50 ? 6000 : k < 70 ? 6000 + (k - 50) * 10 : 6200));
    const [, [, second], ...rest] = runs(followSteps(slide, semitones(), USUAL_SLACK));
    // the line is nearer to the next semitone from frame 55 on
    const from = 120 - second - rest.reduce((s, r) => s + r[1], 0);
    expect(Math.abs(from - 56)).toBeLessThanOrEqual(10);
  });

  test('what is only passed, come from or gone to is none of its own', () => {
    // a scoop from a third below, a glide over a fifth, a fall at the end; 40 ms near each step they pass
    const way = (from: number, to: number, n: number) =>
      Array.from({ length: n }, (_, k) => from + ((to - from) * (k + 1)) / (n + 1));
    const line = Float64Array.from([
      ...way(5700, 6000, 20),
      ...new Array<number>(80).fill(6000),
      ...way(6000, 6700, 40),
      ...new Array<number>(80).fill(6700),
      ...way(6700, 6450, 18),
    ]);
    expect(runs(followSteps(line, semitones(), USUAL_SLACK)).map(r => r[0])).toEqual([6000, 6700]);
  });

  test('keep to the scale', () => {
    const steps = followSteps(held([60, 6100], [60, 6310]), scaleOfKey({ tonic: 0, mode: 'major' }), USUAL_SLACK);
    for (const c of steps) expect([0, 2, 4, 5, 7, 9, 11]).toContain((c / 100) % 12);
  });

  test('a short line has one step, whatever it does', () => {
    expect(followSteps(held([3, 6040]), semitones(), USUAL_SLACK)).toEqual([6000, 6000, 6000]);
  });
});

describe('the notes of a guide a line belongs to', () => {
  /** Written: three notes of 80 frames from frame 40 on, the first two joined. */
  const guide = (fold = false, by = 0) =>
    [
      { start: 40, end: 120, cents: 6300 },
      { start: 120, end: 200, cents: 6100 },
      { start: 260, end: 340, cents: 6600 },
    ].map(g => ({ ...g, cents: g.cents + by, fold }));
  const follow = (line: Float64Array, notes = guide()) => {
    const take = { sung: line, voiced: Uint8Array.from(line, () => 1) };
    const span = { start: 0, end: line.length, scaleAt: () => semitones(), slack: USUAL_SLACK, guide: notes };
    return stepRuns(take, span).map(({ start, end, put }) => [start, end - start, put]);
  };
  /** Where one note becomes the next when all is sung at pitch, so many frames from what is written. */
  const sung = (late: number, off: [number, number, number] = [0, 0, 0]) =>
    held([120 + late, 6300 + off[0]], [110, 6100 + off[1]], [110 - late, 6600 + off[2]]);
  const borders = (runs: number[][]) => runs.filter(r => !Number.isNaN(r[2])).map(r => r[0]);
  const pitches = (runs: number[][]) => runs.filter(r => !Number.isNaN(r[2])).map(r => r[2]);

  test.each([0, 18, -18])('change where they are sung, %d frames from what is written', late => {
    const runs = follow(sung(late));
    expect(pitches(runs)).toEqual([6300, 6100, 6600]);
    expect(Math.abs(borders(runs)[1] - 120 - late)).toBeLessThanOrEqual(4);
  });

  test.each([
    ['two semitones under it', [-200, -200, -200]],
    ['each by another step', [-200, 100, -300]],
    ['in another octave', [-1200, -1200, -1200]],
  ] as [string, [number, number, number]][])('though all is sung %s', (_, off) => {
    for (const late of [0, 12]) {
      const runs = follow(sung(late, off));
      expect(pitches(runs)).toEqual([6300, 6100, 6600]);
      expect(Math.abs(borders(runs)[1] - 120 - late)).toBeLessThanOrEqual(12);
    }
  });

  test('as written where one pitch is held through them', () => {
    const runs = follow(held([340, 6200]));
    expect(pitches(runs)).toEqual([6300, 6100, 6600]);
    expect(Math.abs(borders(runs)[1] - 120)).toBeLessThanOrEqual(2);
  });

  test('in the octave that is sung, when they are folded; none further off than a moment', () => {
    expect(pitches(follow(sung(0), guide(true, -2400)))).toEqual([6300, 6100, 6600]);
    const [first, , middle] = follow(held([340, 6300]), [guide()[0], guide()[2]]);
    expect([first[0], first[1], middle]).toEqual([0, 10, [150, 80, NaN]]);
  });
});
