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
  const { middle, odd } = halfBand;
  const [h0, h1, h2, h3, h4, h5, h6, h7, h8, h9, h10, h11] = odd;
  const n = x.length >> 1;
  const reach = 2 * HALF_BAND_TAPS;
  const y = new Float32Array(n);
  const first = Math.min(n, reach >> 1);
  const last = Math.max(first, n - (reach >> 1));
  for (let i = 0; i < first; i++) y[i] = halfBandAt(x, 2 * i);
  for (let i = last; i < n; i++) y[i] = halfBandAt(x, 2 * i);
  // unrolled, for it runs over every sample
  for (let i = first, c = 2 * first; i < last; i++, c += 2)
    y[i] =
      middle * x[c] +
      h0 * (x[c - 1] + x[c + 1]) +
      h1 * (x[c - 3] + x[c + 3]) +
      h2 * (x[c - 5] + x[c + 5]) +
      h3 * (x[c - 7] + x[c + 7]) +
      h4 * (x[c - 9] + x[c + 9]) +
      h5 * (x[c - 11] + x[c + 11]) +
      h6 * (x[c - 13] + x[c + 13]) +
      h7 * (x[c - 15] + x[c + 15]) +
      h8 * (x[c - 17] + x[c + 17]) +
      h9 * (x[c - 19] + x[c + 19]) +
      h10 * (x[c - 21] + x[c + 21]) +
      h11 * (x[c - 23] + x[c + 23]);
  return y;
}

/** The filter at one sample, zeros beyond the ends. */
function halfBandAt(x: Float32Array, c: number): number {
  let s = halfBand.middle * x[c];
  for (let k = 0; k < HALF_BAND_TAPS; k++) s += halfBand.odd[k] * ((x[c - 2 * k - 1] ?? 0) + (x[c + 2 * k + 1] ?? 0));
  return s;
}
