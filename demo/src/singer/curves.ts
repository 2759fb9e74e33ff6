/** Small curves over control tracks of one value a millisecond. */
export const MS = 0.001;

/** Moving average from w before to w2 after, edges held short. */
export function box(x: ArrayLike<number>, w: number, w2 = w): Float32Array {
  const n = x.length;
  const sums = new Float64Array(n + 1);
  for (let j = 0; j < n; j++) sums[j + 1] = sums[j] + x[j];
  const out = new Float32Array(n);
  for (let j = 0; j < n; j++) {
    const a = Math.max(0, j - w);
    const b = Math.min(n - 1, j + w2);
    out[j] = (sums[b + 1] - sums[a]) / (b - a + 1);
  }
  return out;
}

/** Noise below a corner frequency (two one-pole filters), scaled to unit deviation. */
export function slowNoise(n: number, cutHz: number, normal: () => number): Float32Array {
  const k = Math.exp((-2 * Math.PI * cutHz) / 1000);
  const out = new Float32Array(n);
  let a = 0;
  let b = 0;
  let energy = 0;
  for (let j = 0; j < n; j++) {
    a = k * a + (1 - k) * normal();
    b = k * b + (1 - k) * a;
    out[j] = b;
    energy += b * b;
  }
  const scale = 1 / Math.sqrt(energy / n + 1e-30);
  for (let j = 0; j < n; j++) out[j] *= scale;
  return out;
}

/** Index of a time on a track of n values. */
export const indexer = (n: number) => (t: number) => Math.max(0, Math.min(n - 1, Math.round(t * 1000)));
