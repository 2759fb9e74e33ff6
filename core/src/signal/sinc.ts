/** Band-limited reading between samples with an 8-tap Kaiser-windowed sinc, 256 phases. */
export const SINC_TAPS = 8;
const TAPS = SINC_TAPS;
const PHASES = 256;
const KAISER_BETA = 5.5;

function besselI0(z: number): number {
  let sum = 1;
  let term = 1;
  for (let k = 1; k < 25; k++) {
    term *= (z / 2 / k) ** 2;
    sum += term;
  }
  return sum;
}

/** Tap k of phase p stands at p * 8 + k; taps begin 3 samples before the integer position. */
export const SINC8: Float32Array = (() => {
  const table = new Float32Array((PHASES + 1) * TAPS);
  const half = TAPS / 2;
  for (let p = 0; p <= PHASES; p++)
    for (let k = 0; k < TAPS; k++) {
      const d = k - half + 1 - p / PHASES;
      const window =
        Math.abs(d) < half ? besselI0(KAISER_BETA * Math.sqrt(1 - (d / half) ** 2)) / besselI0(KAISER_BETA) : 0;
      table[p * TAPS + k] = (d === 0 ? 1 : Math.sin(Math.PI * d) / (Math.PI * d)) * window;
    }
  return table;
})();

/** Offset into SINC8 for the fraction of a position. */
export const sincPhase = (fraction: number): number => Math.round(fraction * PHASES) * TAPS;

/** x at the fractional position t; zero outside the array. */
export function sincAt(x: Float32Array, t: number): number {
  const i = Math.floor(t);
  const p = sincPhase(t - i);
  const o = i - 3;
  if (o >= 0 && o + TAPS <= x.length)
    return (
      x[o] * SINC8[p] +
      x[o + 1] * SINC8[p + 1] +
      x[o + 2] * SINC8[p + 2] +
      x[o + 3] * SINC8[p + 3] +
      x[o + 4] * SINC8[p + 4] +
      x[o + 5] * SINC8[p + 5] +
      x[o + 6] * SINC8[p + 6] +
      x[o + 7] * SINC8[p + 7]
    );
  let s = 0;
  for (let k = 0; k < TAPS; k++) {
    const j = o + k;
    if (j >= 0 && j < x.length) s += x[j] * SINC8[p + k];
  }
  return s;
}
