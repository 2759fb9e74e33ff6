import { scaleOfKey, semitones } from '../music';
import { followSteps, USUAL_SLACK } from './whole-take';

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
