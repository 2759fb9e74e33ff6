import { copySamples } from './samples';
import { BYTES, placesFor } from './single';

/** Coefficients of y = b0 x + b1 x1 + b2 x2 + a1 y1 + a2 y2. */
export interface Biquad {
  b: [number, number, number];
  a: [number, number];
}

/** Samples a filter goes through in one go. */
const STRETCH = 4096;

const sectionRoom = () => placesFor({ c: 18, x: STRETCH });
/** One a section, for every call anew. */
const sectionRooms: ReturnType<typeof sectionRoom>[] = [];

/**
 * Filters of second order one after the other, forward only; sums in double precision.
 * @param x samples, any length
 * @returns a new array
 */
export function throughBiquads(x: Float32Array, sections: readonly Biquad[]): Float32Array {
  const out = new Float32Array(x.length);
  const all = sections.map(({ b, a }, i) => {
    const places = (sectionRooms[i] ??= sectionRoom());
    // nothing came before
    new Float64Array(places.c.values.buffer, places.c.at, 9).set([...b, ...a, 0, 0, 0, 0]);
    return places;
  });
  for (let at = 0; at < x.length; at += STRETCH) {
    const n = Math.min(STRETCH, x.length - at);
    let now = x.subarray(at, at + n);
    for (const { run, c, x: place } of all) {
      place.values.set(now);
      run.biquad(place.at, n, c.at, place.at);
      now = place.values.subarray(0, n);
    }
    out.set(now, at);
  }
  return out;
}

/**
 * Second-order Butterworth high-pass, forward only.
 * @param x samples, any length
 * @param cutHz corner frequency in Hz
 * @returns a new array
 */
export function highPass(x: Float32Array, sampleRate: number, cutHz: number): Float32Array {
  const w = (2 * Math.PI * cutHz) / sampleRate;
  const alpha = Math.sin(w) / Math.SQRT2;
  const cos = Math.cos(w);
  const b0 = (1 + cos) / 2 / (1 + alpha);
  return throughBiquads(x, [{ b: [b0, -2 * b0, b0], a: [(2 * cos) / (1 + alpha), -(1 - alpha) / (1 + alpha)] }]);
}

const HALF_BAND_TAPS = 12;
/** What halving a rate looks at to either side, samples of the result. */
export const HALF_BAND_REACH = HALF_BAND_TAPS;
/** Odd taps of a Hamming-windowed half-band low-pass; even taps but the middle one are zero. */
const halfBand = (() => {
  const taps: number[] = [];
  for (let i = 0; i < HALF_BAND_TAPS; i++) {
    const m = 2 * i + 1;
    const window = 0.54 + 0.46 * Math.cos((Math.PI * m) / (2 * HALF_BAND_TAPS + 1));
    taps.push((Math.sin((Math.PI * m) / 2) / (Math.PI * m)) * window);
  }
  const sum = 0.5 + 2 * taps.reduce((a, b) => a + b, 0);
  return { middle: 0.5 / sum, odd: Float64Array.from(taps, t => t / sum) };
})();

/** Outputs made in one go. */
const BLOCK = 4096;
let room: ReturnType<typeof decimator> | null = null;
const decimator = () => {
  const reach = HALF_BAND_TAPS;
  const places = placesFor({
    x: 2 * (BLOCK + 2 * reach),
    even: BLOCK + 2 * reach,
    odd: BLOCK + 2 * reach,
    taps: reach + 1,
    y: BLOCK,
  });
  places.taps.values[0] = halfBand.middle;
  places.taps.values.set(halfBand.odd, 1);
  return places;
};

/** Decimates by two with a zero-phase half-band filter, in single precision: sample i of the result is centred at sample 2i. */
export function halveRate(x: Float32Array): Float32Array {
  const reach = HALF_BAND_TAPS;
  const { run, x: around, even, odd, taps, y } = (room ??= decimator());
  const out = new Float32Array(x.length >> 1);
  for (let start = 0; start < out.length; start += BLOCK) {
    const n = Math.min(BLOCK, out.length - start);
    // odd samples beside even ones, so that both are read one after the other
    copySamples(x, 2 * (start - reach), 2 * (n + 2 * reach), around.values);
    run.apart(around.at, n + 2 * reach, even.at, odd.at);
    const middle = reach * BYTES;
    run.symmetric(even.at + middle, odd.at + middle - BYTES, odd.at + middle, 1, taps.at, reach + 1, n, y.at);
    out.set(y.values.subarray(0, n), start);
  }
  return out;
}
