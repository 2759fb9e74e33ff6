import fc from 'fast-check';
import { combAlong, halfBandFilter, readShifted } from './kernels';
import { seededRandom } from './random';
import { SINC8, sincAt, sincPhase } from './sinc';
import { copySamples } from './samples';
import { placesFor } from './single';

/** What script gives in double precision, within the last bits of a sample; the same to the bit however much is asked for at a time. */

const noise = (n: number, seed: number) => {
  const random = seededRandom(seed);
  return Float32Array.from({ length: n }, () => random.normal());
};
const within = (x: Float32Array, i: number) => (i >= 0 && i < x.length ? x[i] : 0);
const length = fc.integer({ min: 1, max: 600 });

/** A sound read as periods are: what a place needs of it lies in memory from its first sample on. */
function readAlong(x: Float32Array, base: number, first: number, origin: number, step: number, n: number) {
  const zero = Math.floor(base + (first - origin) * step) - 4;
  const count = Math.ceil(n * step) + 12;
  const { run, table, x: place, out } = placesFor({ table: SINC8.length, x: count, out: n });
  table.values.set(SINC8);
  copySamples(x, zero, count, place.values);
  run.along(place.at, zero, table.at, base, first, origin, step, n, out.at);
  return out.values;
}

/** More than single precision loses of eight products. */
const off = (a: number, b: number) => Math.abs(a - b) > 3e-6;

describe('inner loops as machine code', () => {
  it('read a sound along evenly spaced places as one reads it place by place, past its ends too', () => {
    fc.assert(
      fc.property(
        length,
        fc.double({ min: -50, max: 650, noNaN: true }),
        fc.double({ min: 0.05, max: 4, noNaN: true }),
        fc.integer({ min: -300, max: 300 }),
        fc.integer({ min: 1, max: 300 }),
        (n, base, step, first, count) => {
          const x = noise(n, n);
          const origin = first + 0.37;
          const read = readAlong(x, base, first, origin, step, count);
          let wrong = 0;
          for (let i = 0; i < count; i++) if (off(read[i], sincAt(x, base + (first + i - origin) * step))) wrong++;
          expect(wrong).toBe(0);
          const all = read.slice(0, count);
          const half = count >> 1;
          const rest = readAlong(x, base, first + half, origin, step, count - half).slice(0, count - half);
          expect(rest).toEqual(all.subarray(half));
        },
      ),
      { numRuns: 200 },
    );
  });

  it('take from a period a quarter of those beside it', () => {
    fc.assert(
      fc.property(
        length,
        fc.integer({ min: -20, max: 620 }),
        fc.double({ min: 2, max: 90, noNaN: true }),
        fc.double({ min: 0.9, max: 1.1, noNaN: true }),
        (n, first, period, step) => {
          const x = noise(n, n + 2);
          const [before, after] = [first - period, first + period * step];
          const count = Math.ceil(period);
          const rest = combAlong(x, first, before, step, after, 1 / step, count);
          let wrong = 0;
          for (let i = 0; i < count; i++) {
            const beside = sincAt(x, before + i * step) + sincAt(x, after + i / step);
            if (off(rest[i], 0.5 * within(x, first + i) - 0.25 * beside)) wrong++;
          }
          expect(wrong).toBe(0);
        },
      ),
      { numRuns: 200 },
    );
  });

  it('add it to what is there, eight taps a number, the same to the bit however it is divided', () => {
    fc.assert(
      fc.property(
        length,
        fc.integer({ min: 0, max: 600 }),
        fc.double({ min: -2, max: 2, noNaN: true }),
        (n, cut, gain) => {
          const x = noise(n + 8, n + 3);
          const before = noise(n, n + 4);
          const phase = sincPhase((n % 17) / 17);
          const { run, x: place, taps, out } = placesFor({ x: n + 8, taps: 8, out: n });
          place.values.set(x);
          for (let k = 0; k < 8; k++) taps.values[k] = gain * SINC8[phase + k];
          const added = (...parts: [number, number][]) => {
            out.values.set(before);
            for (const [from, to] of parts) run.added(place.at + 4 * from, taps.at, to - from, out.at + 4 * from);
            return out.values.slice(0, n);
          };
          const all = added([0, n]);
          const at = Math.min(cut, n);
          expect(added([0, at], [at, n])).toEqual(all);
          let wrong = 0;
          for (let i = 0; i < n; i++) {
            let sum = before[i];
            for (let k = 0; k < 8; k++) sum += x[i + k] * gain * SINC8[phase + k];
            if (off(all[i], sum)) wrong++;
          }
          expect(wrong).toBe(0);
        },
      ),
      { numRuns: 200 },
    );
  });

  it('read it a sample apart with the taps of one phase', () => {
    fc.assert(
      fc.property(
        length,
        fc.integer({ min: -20, max: 620 }),
        fc.double({ min: 0, max: 1, noNaN: true }),
        fc.integer({ min: 1, max: 300 }),
        (n, from, fraction, count) => {
          const x = noise(n, n + 1);
          const phase = sincPhase(fraction);
          const read = readShifted(x, from, count, phase);
          let wrong = 0;
          for (let i = 0; i < count; i++) {
            let sum = 0;
            for (let k = 0; k < 8; k++) sum += within(x, from + i + k) * SINC8[phase + k];
            if (off(read[i], sum)) wrong++;
          }
          expect(wrong).toBe(0);
          const all = read.slice(0, count);
          const half = count >> 1;
          expect(readShifted(x, from + half, count - half, phase).slice(0, count - half)).toEqual(all.subarray(half));
        },
      ),
      { numRuns: 200 },
    );
  });

  it('filter about each sample, longer sounds than a block too', () => {
    const odd = Float64Array.of(0.31, -0.09, 0.04, -0.01);
    for (const [n, from] of [
      [37, 0],
      [9000, 0],
      [9000, 5],
    ]) {
      const x = noise(n, 7);
      const y = new Float32Array(n - 2 * from);
      halfBandFilter(x, from, 0.5, odd, y);
      for (let i = 0; i < y.length; i++) {
        const c = from + i;
        let sum = 0.5 * x[c];
        for (let k = 0; k < odd.length; k++) sum += odd[k] * (within(x, c - 2 * k - 1) + within(x, c + 2 * k + 1));
        expect(off(y[i], sum)).toBe(false);
      }
    }
  });
});
