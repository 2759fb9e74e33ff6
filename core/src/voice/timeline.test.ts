import { TimeMap } from '../song/timemap';
import { TimeLine } from './timeline';

/** Time maps in samples. */

const RATE = 48000;
const line = (seconds: number, ...points: [from: number, to: number][]) =>
  TimeLine.of(TimeMap.through(points.map(([from, to]) => ({ from, to }))), seconds * RATE, RATE);

describe('a time line', () => {
  it('copies from end to end what is moved by less than a sample, whatever points the map has on the way', () => {
    expect(line(7, [0, -4e-6], [6.1, 6.1 - 4e-6]).natural).toBe(true);
    expect(line(7, [1, 1 + 4e-6], [2, 2 + 4e-6], [3, 3 + 4e-6]).natural).toBe(true);
  });

  it('has no seam within what is moved by one number of samples', () => {
    const { paces } = line(7, [0, 0.5], [3, 3.5], [6.1, 6.6]);
    expect(paces).toEqual([{ source: 0, output: 24000, sourceEnd: 7 * RATE, slope: 1 }]);
  });

  it('keeps its seams where it bends', () => {
    const { paces } = line(7, [1, 1], [2, 2.5], [3, 3.5]);
    expect(paces.map(p => [p.source, p.output])).toEqual([
      [0, 0],
      [48000, 48000],
      [96000, 120000],
    ]);
    expect(paces.map(p => p.slope)).toEqual([1, 1.5, 1]);
  });
});

it('a map followed by a shift, or a shift by a map, bends where the map bends and nowhere else', () => {
  const map = TimeMap.through([
    { from: 1, to: 1 },
    { from: 2, to: 2.5 },
  ]);
  expect(TimeMap.shift(3).then(map).toJSON()).toEqual([
    { from: -2, to: 1 },
    { from: -1, to: 2.5 },
  ]);
  expect(map.then(TimeMap.shift(3)).toJSON()).toEqual([
    { from: 1, to: 4 },
    { from: 2, to: 5.5 },
  ]);
});
