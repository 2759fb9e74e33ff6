/** Means of products of sounds under triangles of any width, from sums of sums: the width costs nothing. */
export class TriangleSums {
  /** Second sums: at k the sum over j < k of the sums of the first j + 1 products; 0 at 0. */
  private sums = new Float64Array(0);
  private from = 0;
  private to = 0;

  /** Begins anew. @param from first sample that is summed @param to the one after the last */
  over(from: number, to: number): this {
    const n = to - from + 2;
    if (this.sums.length < n) this.sums = new Float64Array(n);
    else this.sums.fill(0, 0, n);
    this.from = from;
    this.to = to;
    return this;
  }

  /** Adds the products of two sounds, both beginning at the first sample. */
  add(p: Float32Array, q: Float32Array): this {
    const { sums } = this;
    const n = this.to - this.from;
    let once = 0;
    let twice = 0;
    for (let i = 0; i < n; i++) {
      once += p[i] * q[i];
      twice += once;
      sums[i + 1] += twice;
    }
    sums[n + 1] += twice + once;
    return this;
  }

  /** Mean about a sample, half the triangle's width given; what lies outside is left out. */
  mean(at: number, reach: number): number {
    const { from, to, sums } = this;
    const half = Math.max(1, Math.round(reach));
    const centre = Math.min(to - 1, Math.max(from, Math.round(at)));
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

/** Second sums at any place, also outside of what was summed. */
function beyond(sums: Float64Array, k: number, n: number): number {
  if (k <= 0) return 0;
  return k <= n ? sums[k] : sums[n] + (k - n) * (sums[n + 1] - sums[n]);
}
