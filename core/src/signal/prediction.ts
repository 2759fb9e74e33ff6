/** Linear prediction (Makhoul 1975). */

/** Coefficients 1, a1 .. an of the filter that leaves least of a frame; see solve. */
export function predict(frame: Float64Array, order: number, a: Float64Array, floor: number): void {
  solve(autocorrelation(frame, order), order, a, floor);
}

/**
 * Levinson's recursion.
 * @param r autocorrelation of a frame at lags 0 to order
 * @param a written; order + 1 of them @param floor by which the frame's own power is counted over: keeps it from chasing single harmonics
 */
export function solve(r: ArrayLike<number>, order: number, a: Float64Array, floor: number): void {
  let error = r[0] * floor + 1e-12;
  a.fill(0);
  a[0] = 1;
  for (let i = 1; i <= order; i++) {
    let sum = r[i];
    for (let j = 1; j < i; j++) sum += a[j] * r[i - j];
    const k = -sum / error;
    for (let j = 1; j <= i >> 1; j++) {
      const b = a[j] + k * a[i - j];
      a[i - j] += k * a[j];
      a[j] = b;
    }
    a[i] = k;
    error *= 1 - k * k;
  }
}

/** Sums of products with what lies 0 to order samples before; four lags at a time, so that no sum waits for another. */
function autocorrelation(frame: Float64Array, order: number): Float64Array {
  const r = new Float64Array(order + 4);
  for (let l = 0; l <= order; l += 4) {
    let [a, b, c, d] = [0, 0, 0, 0];
    // what lies l, l + 1, l + 2 before; l + 3 is the one that was l + 2
    let [e, f, g] = [0, 0, 0];
    for (let i = l; i < frame.length; i++) {
      const v = frame[i];
      const h = g;
      g = f;
      f = e;
      e = frame[i - l];
      a += v * e;
      b += v * f;
      c += v * g;
      d += v * h;
    }
    r[l] = a;
    r[l + 1] = b;
    r[l + 2] = c;
    r[l + 3] = d;
  }
  return r;
}
