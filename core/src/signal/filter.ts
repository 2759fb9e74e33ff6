import { halfBandFilter } from './kernels';

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
  const b1 = -(1 + cos) / (1 + alpha);
  const a1 = (-2 * cos) / (1 + alpha);
  const a2 = (1 - alpha) / (1 + alpha);
  const y = new Float32Array(x.length);
  let x1 = 0;
  let x2 = 0;
  let y1 = 0;
  let y2 = 0;
  for (let i = 0; i < x.length; i++) {
    const v = x[i];
    const out = b0 * (v + x2) + b1 * x1 - a1 * y1 - a2 * y2;
    x2 = x1;
    x1 = v;
    y2 = y1;
    y1 = out;
    y[i] = out;
  }
  return y;
}

const HALF_BAND_TAPS = 12;
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

/** Decimates by two with a zero-phase half-band filter: sample i of the result is centred at sample 2i. */
export function halveRate(x: Float32Array): Float32Array {
  const y = new Float32Array(x.length >> 1);
  halfBandFilter(x, 0, true, halfBand.middle, halfBand.odd, y);
  return y;
}
