import type { Reading } from '../read';
import { NoiseEdit, NoiseRule } from '../song';
import { coincides, gapsOf, noiseGains, noiseLevels, noisesOf, usualBeside } from './noises';
import { Place } from './place';
import { heardView, readingOf, take, track } from './testing';

/** A voice at -20 dB over two phrases, with four s and a breath. */
const NOTES: [number, number][] = [
  [1, 1.8],
  [2, 2.8],
  [6, 6.9],
  [7, 8],
];
const LEVELS = { first: -30, second: -31, soft: -52, loud: -24, breath: -45 };
const reading: Reading = (() => {
  const line = Array.from({ length: 2000 }, (_, k) =>
    NOTES.some(([a, z]) => k * 0.005 >= a && k * 0.005 < z) ? 60 : NaN,
  );
  const made = readingOf(line, NOTES);
  const put = (kind: string, start: number, end: number, db: number) => {
    made.noises.push({ kind, start, end } as never);
    made.levelDb.fill(db, start * 200, end * 200);
  };
  put('sibilant', 0.9, 1, LEVELS.first);
  put('sibilant', 1.85, 1.95, LEVELS.second);
  put('breath', 5.2, 5.7, LEVELS.breath);
  put('sibilant', 5.9, 6, LEVELS.soft);
  put('sibilant', 8.02, 8.1, LEVELS.loud);
  return made;
})();
const all = noisesOf(reading);
const here = new Place(0);
const rule = (kind: NoiseRule['kind'], db: number, together = 0) =>
  Object.assign(new NoiseRule(), { kind, db, together });
const lead = (fields = {}) => track('Lead', [take('l')], fields);

test('noises are as loud as they are beside the voice next to them', () => {
  expect(all.map(n => Math.round(n.besideDb))).toEqual([-10, -11, -25, -32, -4]);
  expect(usualBeside(all, 'sibilant')).toBeCloseTo(-10, 0);
  expect(usualBeside(all, 'plosive')).toBe(0);
  expect(noisesOf(reading)).toBe(all);
});

test('all of a kind are turned down, soft ones left soft, one as it was said alone', () => {
  const own = [Object.assign(new NoiseEdit(), { start: 1.85, end: 1.95, db: 2 })];
  const levelOf = noiseLevels(all, { noises: own }, { noises: [rule('sibilant', -8)] }, here, null);
  expect(all.map(n => Math.round(levelOf(n)) + 0)).toEqual([-8, 2, 0, 0, -8]);
});

test('those that coincide with the lead’s are turned down by more', () => {
  const theirs = [
    { kind: 'sibilant', start: 0.85, end: 0.97 },
    { kind: 'breath', start: 1.85, end: 1.95 },
    { kind: 'sibilant', start: 9, end: 9.1 },
  ];
  const levelOf = noiseLevels(all, { noises: [] }, { noises: [rule('sibilant', -2, -6)] }, here, theirs);
  expect(all.map(n => Math.round(levelOf(n)) + 0)).toEqual([-8, -2, 0, 0, -2]);
  expect(coincides({ kind: 'sibilant', start: 8.95, end: 9.05 }, theirs)).toBe(true);
  expect(coincides({ kind: 'sibilant', start: 3, end: 3.1 }, theirs)).toBe(false);
  expect(coincides({ kind: 'sibilant', start: 3, end: 3.1 }, [])).toBe(false);
});

describe('what lies between phrases', () => {
  test('is where nobody sings or breathes, with room for a word to die away', () => {
    const gaps = gapsOf(reading);
    expect(gaps[0].start).toBe(0);
    expect(gaps[0].end).toBeLessThan(0.8);
    expect(gaps[1].start).toBeGreaterThan(2.9);
    expect(gaps[1].end).toBeLessThan(5.2);
    expect(gaps.at(-1)!.end).toBe(reading.duration);
    for (const { start, end } of gaps) {
      expect(end).toBeGreaterThan(start);
      for (const [a, z] of NOTES) expect(start > z + 0.05 || end < a - 0.05).toBe(true);
    }
  });

  test('is turned down only when that is asked', () => {
    const view = heardView(reading, take('l'));
    const gains = (fields = {}, noises: NoiseEdit[] = []) =>
      noiseGains(lead(fields), take('l', { noises }), view, here, null);
    expect(gains()).toEqual([]);
    expect(gains({ clean: { gapsDb: -18, clicks: false } }).every(g => g.db === -18)).toBe(true);
    expect(gains({ clean: { gapsDb: 0, clicks: true } })).toEqual([]);
    expect(gains({ noises: [rule('breath', -6)] })).toMatchObject([{ start: 5.2, end: 5.7 }]);
    expect(gains({}, [Object.assign(new NoiseEdit(), { start: 0.9, end: 1, db: -9 })])).toMatchObject([{ db: -9 }]);
    expect(noiseGains(lead({ noises: [rule('breath', -6)] }), take('l'), undefined, here, null)).toEqual([]);
  });
});
