import { seededRandom } from '../signal/random';
import { parseKey, scaleOfKey } from '../music';
import { comparePerformances } from './same-performance';
import { commonLag, inTimeScore, inTuneScore, meritOf, sharedOnsets, suggestComp, type CellScore } from './scores';
import { offByStep, stepUse } from './steps';

const RATE = 16000;
const random = seededRandom(4);
/** Bursts of noise with rests, like phrases. */
function performanceOf(seed: number, seconds: number): Float32Array {
  const r = seededRandom(seed);
  let low = 0;
  return Float32Array.from({ length: seconds * RATE }, (_, i) => {
    low += 0.2 * (r.normal() - low);
    const t = i / RATE;
    return low * 0.3 * Math.max(0, Math.sin(2 * Math.PI * (t / 2.3 + 0.3 * Math.sin(t * 0.7 + seed)))) ** 0.5;
  });
}

describe('a newer file of a recording', () => {
  const old = performanceOf(1, 12);

  it.each([
    [0, 1],
    [0.75, 0.5],
    [-1.3, 2],
  ])('is found at its offset and level: %d s, gain %d', (shift, gain) => {
    const by = Math.round(shift * RATE);
    const newer = Float32Array.from(
      { length: old.length + by },
      (_, i) => gain * (old[i - by] ?? 0) + 1e-4 * random.normal(),
    );
    const same = comparePerformances(old, newer, RATE);
    expect(same.same).toBe(true);
    expect(same.offsetSeconds * RATE).toBeCloseTo(by, 0);
    expect(same.levelDb).toBeCloseTo(20 * Math.log10(gain), 1);
  });

  it('tells what is missing of it', () => {
    const newer = old.slice(0, 8 * RATE);
    const same = comparePerformances(old, newer, RATE);
    expect(same.found).toBeGreaterThan(0.5);
    expect(same.missing[0].start).toBeGreaterThan(7.5);
    expect(same.missing.at(-1)!.end).toBeGreaterThan(11);
  });

  it('is not another performance', () => {
    expect(comparePerformances(old, performanceOf(2, 12), RATE).same).toBe(false);
    expect(comparePerformances(old, new Float32Array(RATE), RATE).same).toBe(false);
  });
});

describe('scores of takes', () => {
  const key = () => scaleOfKey(parseKey('C major'));
  const line = (cents: number, vibrato = 0) =>
    Float32Array.from(
      { length: 400 },
      (_, k) => 60 + cents / 100 + (vibrato / 100) * Math.sin((2 * Math.PI * 5.5 * k) / 200),
    );
  const note = [{ start: 0, end: 2, sung: 60 }];

  it('count steady time within 20 cents of the step, whatever the vibrato', () => {
    expect(inTuneScore(line(5), 0.005, note, key).share).toBe(1);
    expect(inTuneScore(line(5, 60), 0.005, note, key).share).toBeGreaterThan(0.9);
    expect(inTuneScore(line(35), 0.005, note, key)).toMatchObject({ share: 0 });
    expect(inTuneScore(line(35), 0.005, note, key).meanCents).toBeCloseTo(35, 3);
    expect(inTuneScore(line(0).fill(NaN), 0.005, note, key).share).toBeNaN();
  });

  it('count onsets within 30 ms of where they belong', () => {
    expect(inTimeScore([1, 2.02, 3.2], [1, 2, 3])).toMatchObject({ good: 2, onsets: 3 });
    expect(inTimeScore([], [1]).share).toBeNaN();
  });

  it('take what all takes share off first', () => {
    const grid = [0, 0.5, 1, 1.5];
    expect(commonLag([0.02, 0.52, 1.03], grid)).toBeCloseTo(0.02, 9);
    expect(commonLag([0.2, 0.7], grid)).toBeCloseTo(0.045, 9);
    expect(commonLag([0.2], null)).toBe(0);
    expect(
      sharedOnsets(
        [
          [0.02, 0.53],
          [0.03, 0.6],
        ],
        grid,
        0.02,
      ),
    ).toEqual([0.02, 0.52]);
    expect(sharedOnsets([[0.1, 0.7], [0.12, 0.8], [0.13]], null)).toEqual([0.12, expect.closeTo(0.75, 9)]);
  });

  const cell = (takeId: string, merit: number): CellScore => ({
    takeId,
    merit,
    tune: { share: merit, meanCents: 5, steadySeconds: 1 },
    time: { share: merit, good: 1, onsets: 1, meanSeconds: 0.01 },
  });

  it('suggest the best take of each phrase, but no join for next to nothing', () => {
    expect(
      suggestComp([
        [cell('a', 0.9), cell('b', 0.4)],
        [cell('a', 0.7), cell('b', 0.73)],
        [cell('a', 0.2), cell('b', 0.8)],
      ]),
    ).toEqual(['a', 'b', 'b']);
    expect(
      suggestComp([
        [cell('a', 0.9), cell('b', 0.4)],
        [cell('a', 0.7), cell('b', 0.73)],
        [cell('a', 0.8), cell('b', 0.3)],
      ]),
    ).toEqual(['a', 'a', 'a']);
  });

  it('never suggest a take that does not sing the phrase', () => {
    expect(suggestComp([[cell('a', 0.2)], [cell('b', 0.3)], []])).toEqual(['a', 'b', 'b']);
    expect(suggestComp([[], []])).toEqual([null, null]);
  });

  it('weigh both', () => {
    const tune = { share: 0.8, meanCents: 10, steadySeconds: 1 };
    const time = { share: 0.5, good: 1, onsets: 2, meanSeconds: 0.03 };
    expect(meritOf(tune, { ...time, share: 0.9 })).toBeGreaterThan(meritOf(tune, time));
    expect(meritOf({ ...tune, share: NaN }, time)).toBeLessThan(meritOf(tune, time));
  });

  it('tell how often and how far off each step is sung', () => {
    const notes = [
      { start: 0, end: 1, sung: 60.1 },
      { start: 1, end: 4, sung: 72.2 },
      { start: 4, end: 5, sung: 61.1 },
    ];
    const use = stepUse(notes);
    expect(use[0].seconds).toBe(4);
    expect(use[0].offCents).toBeCloseTo(17.5, 3);
    expect(use[1].seconds).toBe(1);
    // outside the key: judged against the step it would be put on
    const off = offByStep(notes, key);
    expect(off[2]).toBeCloseTo(-90, 3);
    expect(off[1]).toBeNaN();
  });
});
