/**
 * Solves symmetric positive definite systems of small bandwidth by LDL^T in place.
 * Row i stands at i * (bandwidth + 1); element d of it is a(i, i - d).
 */
export class BandedSystem {
  readonly width: number;
  readonly a: Float64Array;

  constructor(
    readonly n: number,
    readonly bandwidth: number,
  ) {
    this.width = bandwidth + 1;
    this.a = new Float64Array(n * this.width);
  }

  /** Adds to a(i, j), j at most i and at least i - bandwidth. */
  add(i: number, j: number, value: number): void {
    this.a[i * this.width + i - j] += value;
  }

  factor(): void {
    const { a, n, bandwidth: b, width: W } = this;
    for (let i = 0; i < n; i++) {
      const r = i * W;
      const reach = Math.min(b, i);
      for (let d = reach; d >= 1; d--) {
        const j = i - d;
        let s = a[r + d];
        for (let e = d + 1; e <= reach; e++) {
          const k = i - e;
          if (j - k <= b) s -= a[r + e] * a[j * W + j - k] * a[k * W];
        }
        a[r + d] = s / a[j * W];
      }
      let t = a[r];
      for (let d = 1; d <= reach; d++) t -= a[r + d] * a[r + d] * a[(i - d) * W];
      a[r] = t;
    }
  }

  /** Solves for x in place, after factor(). */
  solve(x: Float64Array): Float64Array {
    const { a, n, bandwidth: b, width: W } = this;
    for (let i = 0; i < n; i++) {
      let s = x[i];
      const reach = i < b ? i : b;
      for (let d = 1, r = i * W; d <= reach; d++) s -= a[r + d] * x[i - d];
      x[i] = s;
    }
    for (let i = 0; i < n; i++) x[i] /= a[i * W];
    for (let i = n - 1; i >= 0; i--) {
      let s = x[i];
      const reach = n - 1 - i < b ? n - 1 - i : b;
      for (let d = 1, r = (i + 1) * W; d <= reach; d++, r += W) s -= a[r + d] * x[i + d];
      x[i] = s;
    }
    return x;
  }

  /**
   * The first half of solving, for several right sides at once: L^-1 b / sqrt(D), so that for two of them the plain product is b' A^-1 c.
   * In place, after factor().
   * @param x right sides side by side: of the k-th of `count`, value i stands at i * count + k @param from all are zero before this row
   */
  reduce(x: Float64Array, count: number, from = 0): Float64Array {
    const { a, n, bandwidth: b, width: W } = this;
    for (let i = from; i < n; i++) {
      const reach = Math.min(b, i - from);
      const to = (i + 1) * count;
      for (let d = reach; d >= 1; d--) {
        const l = a[i * W + d];
        for (let z = i * count, y = z - d * count; z < to; z++, y++) x[z] -= l * x[y];
      }
    }
    for (let i = from; i < n; i++) {
      const scale = 1 / Math.sqrt(a[i * W]);
      for (let z = i * count; z < (i + 1) * count; z++) x[z] *= scale;
    }
    return x;
  }
}
