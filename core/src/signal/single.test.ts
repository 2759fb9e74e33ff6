import fc from 'fast-check';
import { bestChain } from './chain';
import { hann } from './fft';
import { halveRate, throughBiquads } from './filter';
import { FramePair } from './frame-pair';
import { Lags } from './lags';
import { sinusoidAt } from './phasor';
import { seededRandom } from './random';
import { BYTES, placesFor } from './single';

/** What looks at a sound in single precision, against the plainest way of telling it. */

const noise = (n: number, seed: number) => {
  const random = seededRandom(seed);
  return Float32Array.from({ length: n }, () => random.normal());
};
const at = (x: ArrayLike<number>, i: number) => (i >= 0 && i < x.length ? x[i] : 0);

/** Power of one frame in each bin, by the definition. */
function plainPowers(x: Float32Array, from: number, window: Float64Array, size: number): number[] {
  return Array.from({ length: size / 2 + 1 }, (_, bin) => {
    let [re, im] = [0, 0];
    for (let i = 0; i < window.length; i++) {
      const v = at(x, from + i) * window[i];
      re += v * Math.cos((2 * Math.PI * bin * i) / size);
      im -= v * Math.sin((2 * Math.PI * bin * i) / size);
    }
    return re * re + im * im;
  });
}

describe('pairs of frames', () => {
  it.each([8, 16, 32, 64, 512])(
    'have the powers the definition gives, size %d, past the ends of the sound too',
    size => {
      const x = noise(3 * size, size);
      const window = hann(size - 3);
      const pair = new FramePair(size, [window]);
      for (const [first, second] of [
        [5, size],
        [-size / 2, 3 * size - 4],
        [-2 * size, 4 * size],
      ]) {
        pair.transform(x, first, second);
        pair.powers();
        for (const [start, found] of [
          [first, pair.first],
          [second, pair.second],
        ] as const)
          plainPowers(x, start, window, size).forEach((p, bin) =>
            expect(Math.abs(found[bin] / 4 - p)).toBeLessThan(1e-5 * size + 1e-4 * p),
          );
      }
    },
  );

  it('have fourth roots of the powers where those are asked for', () => {
    const [x, size] = [noise(200, 3), 64];
    const pair = new FramePair(size, [hann(40), hann(64)]);
    pair.transform(x, 10, 50, 1);
    pair.powers(20, true);
    plainPowers(x, 50, hann(64), size)
      .slice(0, 20)
      .forEach((p, bin) => expect(pair.second[bin]).toBeCloseTo((4 * p) ** 0.25, 4));
  });

  it('have the normalised square differences of both frames', () => {
    const [n, size] = [40, 128];
    const x = noise(300, 4);
    const pair = new FramePair(size, [new Float64Array(n).fill(1)]);
    pair.transform(x, 20, 130);
    pair.powers();
    pair.back();
    for (const [part, start] of [
      ['first', 20],
      ['second', 130],
    ] as const) {
      const found = pair.similarity(part, n, 1, 30, 4 * size);
      for (let lag = 1; lag <= 30; lag++) {
        let [r, e] = [0, 1e-10 * n];
        for (let i = start; i + lag < start + n; i++) {
          r += x[i] * x[i + lag];
          e += x[i] ** 2 + x[i + lag] ** 2;
        }
        expect(found[lag]).toBeCloseTo((2 * r) / e, 4);
      }
    }
  });
});

describe('lags', () => {
  const x = Float32Array.from({ length: 6000 }, (_, i) => Math.sin(i / 9) + 0.4 * Math.sin(i / 4.5 + 1));
  const difference = (centre: number, length: number, lag: number) => {
    const a = centre - ((length + lag) >> 1);
    if (a < 0 || a + lag + length > x.length) return 0;
    let [r, e] = [0, 1e-12];
    for (let i = a; i < a + length; i++) {
      r += x[i] * x[i + lag];
      e += x[i] ** 2 + x[i + lag] ** 2;
    }
    return (2 * r) / e;
  };

  it('are climbed to the nearest top, anywhere in a sound', () => {
    const lags = new Lags(x);
    const period = 18 * Math.PI;
    fc.assert(
      fc.property(fc.integer({ min: -50, max: 6050 }), fc.integer({ min: 8, max: 300 }), (centre, length) => {
        const { lag, y0, y1, y2 } = lags.climb(centre, length, 60, 8);
        for (const [found, l] of [
          [y0, lag - 1],
          [y1, lag],
          [y2, lag + 1],
        ])
          expect(found).toBeCloseTo(difference(centre, length, l), 4);
        if (centre > 400 && centre < 5600 && length > 120) expect(Math.abs(lag - period)).toBeLessThan(1);
      }),
    );
  });

  it('are looked at in stretches longer than there was room for', () => {
    const { y1 } = new Lags(x).climb(3000, 2500, 1000, 1);
    expect(Number.isFinite(y1)).toBe(true);
    const alike = new Lags(x).correlations(3000, 2400, 56, 57);
    expect(alike[1]).toBeGreaterThan(0.99);
  });

  it('correlate whatever the levels of the two stretches', () => {
    const fading = x.map((v, i) => v * Math.exp(-i / 300));
    const alike = new Lags(fading).correlations(2000, 113, 40, 70);
    const top = alike.subarray(0, 31).reduce((best, v, i, all) => (v > all[best] ? i : best), 0);
    expect(40 + top).toBe(57);
    expect(alike[top]).toBeGreaterThan(0.99);
  });
});

describe('periods', () => {
  it('match where neighbours are most alike, near what was expected, whatever is more alike farther off', () => {
    // twice the period is as good a match; only what lies within the spread counts
    const x = Float32Array.from(
      { length: 4000 },
      (_, i) => Math.sin(i / 11) + 0.5 * Math.sin(i / 5.5) * (1 + i / 9000),
    );
    const period = 22 * Math.PI;
    const lags = new Lags(x);
    for (const near of [period - 5, period, period + 4.6]) {
      const { lag, y0, y1, y2 } = lags.match(2000, 2 * 69 + 1, near, 6, 2, 0.03 / (0.08 * near) ** 2, 8);
      expect(Math.abs(lag - period)).toBeLessThan(1);
      const alike = lags.correlations(2000, 2 * 69 + 1, lag - 1, lag + 1);
      [y0, y1, y2].forEach((y, i) => expect(y).toBeCloseTo(alike[i], 5));
      expect(y1).toBeGreaterThan(0.99);
    }
  });

  it('have a fundamental with the phase and the share of the power it has, past the ends of the sound too', () => {
    const x = noise(900, 12).map((v, i) => 0.1 * v + Math.cos(0.07 * (i - 400.3)));
    for (const [centre, half] of [
      [400.3, 90],
      [3.2, 120],
      [899.9, 700],
    ]) {
      const found = sinusoidAt(x, centre, 0.07, half);
      const told = { re: 0, im: 0, power: 0 };
      for (let d = -half; d <= half; d++) {
        const t = Math.round(centre) + d;
        const v = at(x, t) * (0.5 + 0.5 * Math.cos((Math.PI * d) / half));
        told.re += v * Math.cos(0.07 * (t - centre));
        told.im -= v * Math.sin(0.07 * (t - centre));
        told.power += v * at(x, t);
      }
      for (const key of ['re', 'im', 'power'] as const) expect(found[key]).toBeCloseTo(told[key], 2);
    }
    // two more, once the room for them has grown
    expect(Math.atan2(sinusoidAt(x, 400.3, 0.07, 90).im, sinusoidAt(x, 400.3, 0.07, 90).re)).toBeCloseTo(0, 1);
  });

  it('make the best chain there is of places a period apart', () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 400 }), fc.double({ min: 3, max: 60, noNaN: true }), (n, period) => {
        const worth = noise(n, n).map(Math.abs);
        const periods = Float32Array.from({ length: n }, (_, i) => period * (1 + 0.2 * Math.sin(i / 40)));
        const score = new Float32Array(n);
        const from = bestChain(worth, periods, 0.08, 60, score);
        const wrong: number[] = [];
        for (let i = 0; i < n; i++) {
          const T = periods[i];
          let best = i < 1.2 * T ? 0 : -1e9;
          const price = (d: number) => 60 * (d / T - 1) ** 2;
          for (let d = Math.max(1, Math.floor(T * 0.92)); d <= Math.min(i, Math.ceil(T * 1.08)); d++)
            best = Math.max(best, score[i - d] - price(d));
          const scale = 1e-4 * Math.max(1, Math.abs(best));
          const comes = from[i] >= 0 ? Math.abs(score[from[i]] - price(i - from[i]) - best) < scale : best <= 0;
          if (!comes || Math.abs(score[i] - best - worth[i]) >= scale) wrong.push(i);
        }
        expect(wrong).toEqual([]);
      }),
      { numRuns: 60 },
    );
  });
});

describe('filters', () => {
  it('halve a rate about every second sample, longer sounds than a block too', () => {
    // what the filter passes comes through as it is
    const slow = Float32Array.from({ length: 20001 }, (_, i) => Math.sin(0.2 * i));
    const half = halveRate(slow);
    expect(half).toHaveLength(10000);
    for (let i = 40; i < 9960; i++) expect(half[i]).toBeCloseTo(slow[2 * i], 2);
    // and what lies over a quarter of the rate does not
    const fast = halveRate(Float32Array.from({ length: 20000 }, (_, i) => Math.sin(2.6 * i)));
    expect(Math.max(...fast.subarray(40, 9960).map(Math.abs))).toBeLessThan(0.003);
  });

  it('go through sections one after the other as by hand, whatever the length', () => {
    const sections = [
      { b: [0.4, -0.3, 0.1], a: [0.9, -0.4] },
      { b: [1, 0, -1], a: [-0.2, -0.1] },
    ] as const;
    for (const n of [0, 1, 5, 4096, 9001]) {
      const x = noise(n, 6);
      let y = Float64Array.from(x);
      for (const { b, a } of sections) {
        const z = new Float64Array(n);
        for (let i = 0; i < n; i++)
          z[i] = b[0] * y[i] + b[1] * at(y, i - 1) + b[2] * at(y, i - 2) + a[0] * at(z, i - 1) + a[1] * at(z, i - 2);
        y = z;
      }
      const found = throughBiquads(
        x,
        sections.map(s => ({ b: [...s.b], a: [...s.a] })),
      );
      expect(found).toHaveLength(n);
      for (let i = 0; i < n; i++) expect(found[i]).toBeCloseTo(y[i], 4);
    }
  });

  it('tell a frame by its autocorrelation, and take taps over it', () => {
    const { run, x, window, frame, out, taps } = placesFor({ x: 50, window: 50, frame: 8 + 50, out: 50, taps: 3 });
    const [values, shape] = [noise(50, 8), hann(50)];
    x.values.set(values);
    window.values.set(shape);
    run.autocorrelation(x.at, window.at, 50, 6, frame.at + 8 * BYTES, out.at);
    const windowed = values.map((v, i) => v * shape[i]);
    for (let lag = 0; lag <= 6; lag++)
      expect(out.values[lag]).toBeCloseTo(
        windowed.reduce((sum, v, i) => sum + v * at(windowed, i - lag), 0),
        4,
      );
    taps.values.set([1, -2, 0.5]);
    run.filtered(x.at, taps.at, 3, 48, out.at);
    for (let i = 0; i < 48; i++)
      expect(out.values[i]).toBeCloseTo(values[i] - 2 * values[i + 1] + 0.5 * values[i + 2], 4);
  });
});
