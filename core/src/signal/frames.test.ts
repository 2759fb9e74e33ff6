import { Fourier, powerOfTwoFrom } from './fft';
import { powerFrames } from './frames';
import { hashNoise, seededRandom } from './random';
import { stretchesOf, type Stretches } from './stretches';
import { median, quantile, weightedMedian } from './statistics';

describe('power spectra of frames', () => {
  const SIZE = 64;
  const random = seededRandom(3);
  const x = Float32Array.from({ length: 500 }, () => random.normal());
  const direct = (centre: number): number[] =>
    Array.from({ length: SIZE / 2 + 1 }, (_, b) => {
      let re = 0;
      let im = 0;
      for (let i = 0; i < SIZE; i++) {
        const window = 0.5 - 0.5 * Math.cos((2 * Math.PI * (i + 0.5)) / SIZE);
        const v = (x[centre - SIZE / 2 + i] ?? 0) * window;
        re += v * Math.cos((2 * Math.PI * b * i) / SIZE);
        im -= v * Math.sin((2 * Math.PI * b * i) / SIZE);
      }
      return re * re + im * im;
    });

  test('are those of the definition, two at a time, beyond the ends too', () => {
    const seen: number[] = [];
    powerFrames(x, SIZE, 37.5, 15, (k, power) => {
      seen.push(k);
      direct(Math.round(k * 37.5)).forEach((v, b) => expect(power[b]).toBeCloseTo(v, 4));
    });
    expect(seen).toEqual(Array.from({ length: 15 }, (_, k) => k));
  });

  test('are the same of a sound that comes in stretches', () => {
    const long = Float32Array.from({ length: 700_000 }, () => random.normal());
    const all = (sound: Float32Array | Stretches) => {
      const out: number[] = [];
      powerFrames(sound, SIZE, 5011.5, 141, (_, power) => out.push(...power));
      return out;
    };
    const stretches = jest.fn(stretchesOf(long).stretch);
    expect(all({ length: long.length, stretch: stretches })).toEqual(all(long));
    expect(stretches.mock.calls.length).toBeLessThan(5);
  });
});

test('a transform and its conjugate give the signal back', () => {
  const f = Fourier.of(32);
  const random = seededRandom(9);
  const x = Float64Array.from({ length: 64 }, () => random.uniform());
  f.input.set(x);
  f.forward();
  for (let i = 0; i < 32; i++) {
    f.input[2 * i] = f.output[2 * i + 1];
    f.input[2 * i + 1] = f.output[2 * i];
  }
  f.forward();
  for (let i = 0; i < 32; i++) {
    expect(f.output[2 * i + 1] / 32).toBeCloseTo(x[2 * i], 12);
    expect(f.output[2 * i] / 32).toBeCloseTo(x[2 * i + 1], 12);
  }
  expect(Fourier.of(32)).toBe(Fourier.of(32));
  expect([1, 5, 64, 65].map(powerOfTwoFrom)).toEqual([4, 8, 64, 128]);
});

test.each([4, 8, 16, 128, 512, 1024])('a transform of %i is the sum it stands for', size => {
  const f = Fourier.of(size);
  const random = seededRandom(size);
  const x = Float64Array.from({ length: 2 * size }, () => random.uniform());
  f.input.set(x);
  f.forward();
  expect(Array.from(f.input)).toEqual(Array.from(x));
  for (const k of [0, 1, size / 2 - 1, size / 2, size - 1]) {
    let [re, im] = [0, 0];
    for (let i = 0; i < size; i++) {
      const angle = (-2 * Math.PI * i * k) / size;
      re += x[2 * i] * Math.cos(angle) - x[2 * i + 1] * Math.sin(angle);
      im += x[2 * i] * Math.sin(angle) + x[2 * i + 1] * Math.cos(angle);
    }
    expect(f.output[2 * k]).toBeCloseTo(re, 9);
    expect(f.output[2 * k + 1]).toBeCloseTo(im, 9);
  }
});

describe('randomness', () => {
  test('is the same for the same seed, and about what it says', () => {
    const draw = (seed: number) => {
      const r = seededRandom(seed);
      return Array.from({ length: 5000 }, () => r.normal());
    };
    expect(draw(4)).toEqual(draw(4));
    expect(draw(4).slice(0, 5)).not.toEqual(draw(5).slice(0, 5));
    const all = draw(6);
    const mean = all.reduce((s, v) => s + v, 0) / all.length;
    expect(Math.abs(mean)).toBeLessThan(0.06);
    expect(all.reduce((s, v) => s + (v - mean) ** 2, 0) / all.length).toBeCloseTo(1, 1);
  });

  test('without a state depends on the key alone and fills its range evenly', () => {
    const all = Array.from({ length: 4000 }, (_, k) => hashNoise(k));
    expect(hashNoise(1234)).toBe(hashNoise(1234));
    expect(Math.min(...all)).toBeGreaterThanOrEqual(-0.5);
    expect(Math.max(...all)).toBeLessThan(0.5);
    for (const edge of [-0.25, 0, 0.25])
      expect(Math.abs(all.filter(v => v < edge).length / 4000 - (edge + 0.5))).toBeLessThan(0.03);
  });
});

test('quantiles and medians, of nothing too', () => {
  expect(quantile([], 0.5)).toBe(0);
  expect(quantile([3, 1, 2], 0)).toBe(1);
  expect(quantile([3, 1, 2], 1)).toBe(3);
  expect(median(Float32Array.of(5, -1, 2))).toBe(2);
  const given = [3, 1, 2];
  median(given);
  expect(given).toEqual([3, 1, 2]);
  expect(weightedMedian([])).toBeNaN();
  expect(
    weightedMedian([
      [10, 1],
      [0, 1],
      [5, 8],
    ]),
  ).toBe(5);
});
