/**
 * Second-order Butterworth high-pass, forward only.
 * @param x samples, any length
 * @param cutHz corner frequency in Hz
 * @returns a new array, Float64 so that later differences keep their precision
 */
export function highPass(x: ArrayLike<number>, sampleRate: number, cutHz: number): Float64Array {
  const w = (2 * Math.PI * cutHz) / sampleRate;
  const alpha = Math.sin(w) / Math.SQRT2;
  const cos = Math.cos(w);
  const b0 = (1 + cos) / 2 / (1 + alpha);
  const b1 = -(1 + cos) / (1 + alpha);
  const a1 = (-2 * cos) / (1 + alpha);
  const a2 = (1 - alpha) / (1 + alpha);
  const y = new Float64Array(x.length);
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
export function halveRate(x: Float64Array): Float64Array {
  const { middle, odd } = halfBand;
  const n = x.length >> 1;
  const reach = 2 * HALF_BAND_TAPS;
  const y = new Float64Array(n);
  for (let i = 0; i < n; i++) {
    const c = 2 * i;
    let s = middle * x[c];
    if (c >= reach && c + reach < x.length)
      for (let k = 0; k < HALF_BAND_TAPS; k++) s += odd[k] * (x[c - 2 * k - 1] + x[c + 2 * k + 1]);
    else for (let k = 0; k < HALF_BAND_TAPS; k++) s += odd[k] * ((x[c - 2 * k - 1] ?? 0) + (x[c + 2 * k + 1] ?? 0));
    y[i] = s;
  }
  return y;
}
