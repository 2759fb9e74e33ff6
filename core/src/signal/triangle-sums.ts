/** Means of products of sounds under triangles of any width, from sums of sums: the width costs nothing. */
export class TriangleSums {
  private readonly once: Float64Array;
  private twice: Float64Array | null = null;

  constructor(
    private readonly from: number,
    private readonly to: number,
  ) {
    this.once = new Float64Array(to - from);
  }

  add(p: Float32Array, q: Float32Array): this {
    const { once } = this;
    for (let i = 0; i < once.length; i++) once[i] += p[i] * q[i];
    return this;
  }

  /** Mean about a sample, half the triangle's width given; what lies outside is left out. */
  mean(at: number, reach: number): number {
    const { from, to } = this;
    const half = Math.max(1, Math.round(reach));
    const centre = Math.min(to - 1, Math.max(from, Math.round(at)));
    const sums = (this.twice ??= summedTwice(this.once));
    const n = to - from;
    const k = centre - from;
    const high = beyond(sums, k + half, n);
    const low = beyond(sums, k - half, n);
    // the triangle's own weight, less what sticks out at the ends
    const over = Math.max(0, half - (to - centre));
    const under = Math.max(0, half - k - 1);
    const weight = half * half - (over * (over + 1)) / 2 - (under * (under + 1)) / 2;
    return (high - 2 * sums[k] + low) / Math.max(1, weight);
  }
}

/** Second sums: out[k] is the sum over j < k of the sums of the first j + 1 values; out[0] = 0. */
function summedTwice(x: Float64Array): Float64Array {
  const out = new Float64Array(x.length + 2);
  let sum = 0;
  for (let i = 0; i <= x.length; i++) {
    sum += x[i] ?? 0;
    out[i + 1] = out[i] + sum;
  }
  return out;
}

/** Second sums at any place, also outside of what was summed. */
function beyond(sums: Float64Array, k: number, n: number): number {
  if (k <= 0) return 0;
  return k <= n ? sums[k] : sums[n] + (k - n) * (sums[n + 1] - sums[n]);
}
