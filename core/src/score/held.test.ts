import { planTake, splitTake } from '../plan';
import { TimeMap } from '../song';
import { planSurroundings } from './surroundings';
import { readingOf } from './testing';

/** A note of two seconds with a vibrato of 5.5 Hz. */
const RATE = 5.5;
const line = Array.from({ length: 800 }, (_, k) =>
  k >= 200 && k < 600 ? 60 + 0.4 * Math.sin(2 * Math.PI * RATE * (k - 200) * 0.005) : NaN,
);
const split = splitTake(readingOf(line, [[1, 3]]));
const swingsPerSecond = (factor: number) => {
  const time = TimeMap.through([
    { from: 0, to: 0 },
    { from: 1, to: 1 },
    { from: 3, to: 1 + 2 * factor },
    { from: 4, to: 2 + 2 * factor },
  ]);
  const plan = planTake(split, {}, planSurroundings({ time: time.toJSON() }, split));
  let crossings = 0;
  for (let k = 261; k < 560; k++) if (plan.line[k - 1] < 6000 !== plan.line[k] < 6000) crossings++;
  return { heard: crossings / 2 / (300 * 0.005 * factor), active: plan.voice.active.some(a => a === 1) };
};

test.each([1.8, 3])('a vibrato keeps its rate when its note is held %d times as long', factor => {
  expect(swingsPerSecond(factor).heard).toBeCloseTo(RATE, 0);
});

test('a note bent by a little is left as it was sung', () => {
  expect(swingsPerSecond(1.2).active).toBe(false);
});
