import { analyseVoice, neutralPlan, renderAll } from '@essim/core';
import { compareLevels, overlapAdd, wobbleOf } from './wobble';

/** The measure itself: what is planted must be found, and nothing else. */

const RATE = 48000;
const HOP = 0.005;
const HZ = 200;
const SECONDS = 3;
const x = Float32Array.from({ length: SECONDS * RATE }, (_, i) => {
  const t = i / RATE;
  return 0.2 * [1, 2, 3, 4].reduce((s, h) => s + Math.cos(2 * Math.PI * HZ * h * t) / h, 0);
});
const f0 = new Float32Array(SECONDS / HOP + 1).fill(HZ);
const voice = analyseVoice([x], RATE, f0, HOP);
/** The voice with a dip of so many dB and 30 ms about each of these seconds, and as much louder throughout. */
const dipped = (db: number, at: number[], louder = 0) =>
  x.map((v, i) => {
    const deep = at.some(t => Math.abs(i / RATE - t) < 0.015);
    return v * 10 ** ((louder - (deep ? db : 0)) / 20);
  });

describe('level wobble', () => {
  it('is nothing where nothing was done, or all is louder alike', () => {
    const { departures, spots, level, seconds } = compareLevels(voice, dipped(0, [], 3), 1);
    expect(Math.max(...departures)).toBeLessThan(0.01);
    expect(spots).toEqual([]);
    expect(level).toBeCloseTo(3, 2);
    expect(seconds).toBeGreaterThan(SECONDS - 0.2);
  });

  it('finds each dip that is planted, where it is, and none that is slow or shallow', () => {
    const planted = [0.6, 1.5, 2.2];
    const { spots, departures } = compareLevels(voice, dipped(4, planted), 1);
    expect(spots).toHaveLength(planted.length);
    spots.forEach((t, i) => expect(Math.abs(t - planted[i])).toBeLessThan(0.025));
    expect(Math.max(...departures)).toBeGreaterThan(2);
    expect(compareLevels(voice, dipped(1, planted), 1).spots).toEqual([]);
    const swell = x.map((v, i) => v * (1 + 0.5 * Math.sin((2 * Math.PI * i) / RATE / SECONDS)));
    expect(compareLevels(voice, swell, 1).spots).toEqual([]);
  });

  it('is small for a steady voice moved a little, by overlap-add and by the engine', () => {
    expect(wobbleOf(voice, 40).spots).toEqual([]);
    expect(compareLevels(voice, overlapAdd(voice, 40), 2 ** (40 / 1200)).spots).toEqual([]);
    const [same] = renderAll(voice, neutralPlan(voice.frames, voice.hop));
    expect(Math.max(...compareLevels(voice, same, 1).departures)).toBe(0);
  });
});
