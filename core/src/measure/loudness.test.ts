import { frameLoudness, framePeaks, kWeight, meanLevel, meanLoudness } from './loudness';

const HOP = 0.005;
const tone = (rate: number, hz: number, level: number, seconds = 2) =>
  Float32Array.from({ length: seconds * rate }, (_, i) => level * Math.sin((2 * Math.PI * hz * i) / rate));
const loudness = (channels: Float32Array[], rate: number) => {
  const frames = Math.floor(channels[0].length / rate / HOP);
  const all = frameLoudness(channels, rate, HOP, frames);
  // the filters have settled
  return meanLoudness(
    all,
    Array.from({ length: frames - 60 }, (_, k) => k + 40),
  )!;
};

describe('loudness', () => {
  // the recommendation's own check: 997 Hz at full scale in one channel is -3.01
  test.each([48000, 44100, 96000])('of 997 Hz at full scale is -3.01 at %d Hz', rate => {
    expect(loudness([tone(rate, 997, 1)], rate)).toBeCloseTo(-3.01, 1);
    expect(loudness([tone(rate, 997, 0.1)], rate)).toBeCloseTo(-23.01, 1);
  });

  test('adds channels, hears highs louder and lows hardly', () => {
    const one = loudness([tone(48000, 997, 0.5)], 48000);
    expect(loudness([tone(48000, 997, 0.5), tone(48000, 997, 0.5)], 48000) - one).toBeCloseTo(3.01, 1);
    expect(loudness([tone(48000, 6000, 0.5)], 48000) - one).toBeCloseTo(3.3, 0);
    expect(loudness([tone(48000, 30, 0.5)], 48000) - one).toBeLessThan(-6);
    for (const hz of [60, 200, 6000])
      expect(loudness([tone(48000, hz, 0.5)], 48000) - one).toBeCloseTo(kWeight(hz) - kWeight(997), 1);
  });

  test('follows what sounds, frame by frame', () => {
    const x = tone(48000, 997, 0.5);
    x.fill(0, 48000);
    const all = frameLoudness([x], 48000, HOP, 400);
    expect(all[150] - all[350]).toBeGreaterThan(60);
    expect(meanLoudness(all, [])).toBeNull();
    expect(meanLoudness(new Float32Array([NaN, -20]), [0, 1])).toBeCloseTo(-20, 6);
  });
});

test('peaks are those about a frame, of any channel, a little over the samples', () => {
  const [left, right] = [new Float32Array(48000), new Float32Array(48000)];
  left[24000] = -0.5;
  right[36000] = 1;
  const peaks = framePeaks([left, right], 48000, HOP, 200);
  expect(peaks[100]).toBeCloseTo(20 * Math.log10(0.5) + 0.6, 3);
  expect(peaks[150]).toBeCloseTo(0.6, 3);
  expect(peaks[50]).toBeLessThan(-100);
});

test('a mean level is of powers, with what is turned up in them, and of nothing where there is nothing', () => {
  const level = new Float32Array([-20, -20, -10, -60]);
  expect(meanLevel(level, 0, 2)).toBeCloseTo(-20, 6);
  expect(meanLevel(level, 1, 3)).toBeCloseTo(10 * Math.log10((0.01 + 0.1) / 2), 6);
  expect(meanLevel(level, 0, 2, new Float32Array([6, 6, 0, 0]))).toBeCloseTo(-14, 6);
  expect(meanLevel(level, -5, 1)).toBeCloseTo(-20, 6);
  expect(meanLevel(level, 9, 12)).toBeLessThan(-110);
});
