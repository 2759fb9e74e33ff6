/**
 * Solves symmetric positive definite systems of small bandwidth by LDL^T in place.
 * Row i stands at i * (bandwidth + 1); element d of it is a(i, i - d).
 */
export class BandedSystem {
  readonly width: number;
  readonly a: Float64Array;
  /** 1 / sqrt(D), once it is asked for. */
  private roots: Float64Array | null = null;

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
    if (this.bandwidth === 4) return this.factorFour();
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

  /** The same for the width that is met most, unrolled: what stands before the first row is nought. */
  private factorFour(): void {
    const { a, n } = this;
    // diagonals of the four rows before, and what stands off them
    let d1 = 1;
    let d2 = 1;
    let d3 = 1;
    let d4 = 1;
    // pkj: element (i - j, i - k)
    let p21 = 0;
    let p31 = 0;
    let p32 = 0;
    let p41 = 0;
    let p42 = 0;
    let p43 = 0;
    for (let i = 0, r = 0; i < n; i++, r += 5) {
      const l4 = i > 3 ? a[r + 4] / d4 : 0;
      const v4 = l4 * d4;
      const l3 = i > 2 ? (a[r + 3] - v4 * p43) / d3 : 0;
      const v3 = l3 * d3;
      const l2 = i > 1 ? (a[r + 2] - v4 * p42 - v3 * p32) / d2 : 0;
      const v2 = l2 * d2;
      const l1 = i > 0 ? (a[r + 1] - v4 * p41 - v3 * p31 - v2 * p21) / d1 : 0;
      const v1 = l1 * d1;
      const t = a[r] - l4 * v4 - l3 * v3 - l2 * v2 - l1 * v1;
      a[r + 4] = l4;
      a[r + 3] = l3;
      a[r + 2] = l2;
      a[r + 1] = l1;
      a[r] = t;
      p43 = p32;
      p42 = p31;
      p41 = l3;
      p32 = p21;
      p31 = l2;
      p21 = l1;
      d4 = d3;
      d3 = d2;
      d2 = d1;
      d1 = t;
    }
  }

  /** Solves for x in place, after factor(). */
  solve(x: Float64Array): Float64Array {
    const { a, n, bandwidth: b, width: W } = this;
    this.forward(x, 0);
    for (let i = 0; i < n; i++) x[i] /= a[i * W];
    if (b === 4) {
      let x1 = 0;
      let x2 = 0;
      let x3 = 0;
      let x4 = 0;
      // below the last row x is nought, whatever is read for it
      for (let i = n - 1, r = i * 5; i >= 0; i--, r -= 5) {
        const near = i + 4 < n;
        let v = x[i];
        if (near) v -= a[r + 24] * x4 + a[r + 18] * x3 + a[r + 12] * x2 + a[r + 6] * x1;
        else for (let d = 1; i + d < n; d++) v -= a[(i + d) * 5 + d] * x[i + d];
        x4 = x3;
        x3 = x2;
        x2 = x1;
        x1 = x[i] = v;
      }
      return x;
    }
    for (let i = n - 1; i >= 0; i--) {
      let s = x[i];
      const reach = n - 1 - i < b ? n - 1 - i : b;
      for (let d = 1, r = (i + 1) * W; d <= reach; d++, r += W) s -= a[r + d] * x[i + d];
      x[i] = s;
    }
    return x;
  }

  /** L^-1 x in place. @param from all of x is zero before this row */
  private forward(x: Float64Array, from: number): void {
    const { a, n, bandwidth: b, width: W } = this;
    if (b === 4) {
      let x1 = 0;
      let x2 = 0;
      let x3 = 0;
      let x4 = 0;
      for (let i = from, r = 5 * from; i < n; i++, r += 5) {
        const v = x[i] - (a[r + 4] * x4 + a[r + 3] * x3 + a[r + 2] * x2) - a[r + 1] * x1;
        x4 = x3;
        x3 = x2;
        x2 = x1;
        x1 = x[i] = v;
      }
      return;
    }
    for (let i = from; i < n; i++) {
      let s = x[i];
      const reach = i - from < b ? i - from : b;
      for (let d = 1, r = i * W; d <= reach; d++) s -= a[r + d] * x[i - d];
      x[i] = s;
    }
  }

  /**
   * The first half of solving: L^-1 x / sqrt(D), so that for two right sides the plain product is b' A^-1 c. In place, after factor().
   * @param from all of x is zero before this row
   */
  reduce(x: Float64Array, from = 0): Float64Array {
    const { a, n, width: W } = this;
    this.forward(x, from);
    this.roots ??= Float64Array.from({ length: n }, (_, i) => 1 / Math.sqrt(a[i * W]));
    for (let i = from; i < n; i++) x[i] *= this.roots[i];
    return x;
  }
}
