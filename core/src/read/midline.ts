/** Least turn that counts, cents. */
const HYSTERESIS = 14;

/** Bounds of a regular wobble: half cycle in frames of 5 ms, swing in cents, most ratio of neighbouring swings. */
export interface WobbleBounds {
  shortest: number;
  longest: number;
  least: number;
  most: number;
  ratio: number;
}
export const VIBRATO_BOUNDS: WobbleBounds = { shortest: 11, longest: 28, least: 18, most: 260, ratio: 2.6 };

/** Frames where the line turns by more than the hysteresis. */
function turns(y: Float64Array): number[] {
  const out: number[] = [];
  let direction = 0;
  let high = 0;
  let low = 0;
  for (let i = 1; i < y.length; i++) {
    if (y[i] > y[high]) high = i;
    if (y[i] < y[low]) low = i;
    if (direction >= 0 && y[high] - y[i] > HYSTERESIS) {
      out.push(high);
      direction = -1;
      low = high = i;
    } else if (direction <= 0 && y[i] - y[low] > HYSTERESIS) {
      out.push(low);
      direction = 1;
      low = high = i;
    }
  }
  return out;
}

/**
 * The line with every regular wobble (three or more half cycles) replaced by the middle between its turns; glides stay sharp.
 * @param y cents per 5 ms frame of one voiced run
 */
export function midline(y: Float64Array, bounds: WobbleBounds = VIBRATO_BOUNDS): Float64Array {
  const out = Float64Array.from(y);
  const ex = turns(y);
  for (let i = 0; i + 3 < ex.length;) {
    let j = i;
    while (j + 1 < ex.length) {
      const length = ex[j + 1] - ex[j];
      const swing = Math.abs(y[ex[j + 1]] - y[ex[j]]);
      if (length < bounds.shortest || length > bounds.longest || swing < bounds.least || swing > bounds.most) break;
      if (j > i) {
        const last = Math.abs(y[ex[j]] - y[ex[j - 1]]);
        if (swing > bounds.ratio * last || last > bounds.ratio * swing) break;
      }
      j++;
    }
    if (j - i < 3) {
      i = Math.max(i + 1, j);
      continue;
    }
    const at: number[] = [];
    const middle: number[] = [];
    for (let t = i; t < j; t++) {
      at.push((ex[t] + ex[t + 1]) / 2);
      middle.push((y[ex[t]] + y[ex[t + 1]]) / 2);
    }
    const smooth = middle.map((v, t) => (t && t < middle.length - 1 ? (middle[t - 1] + 2 * v + middle[t + 1]) / 4 : v));
    for (let f = ex[i], t = 0; f <= ex[j]; f++) {
      while (t < at.length - 2 && f > at[t + 1]) t++;
      const u = Math.max(0, Math.min(1, (f - at[t]) / (at[t + 1] - at[t])));
      out[f] = smooth[t] * (1 - u) + smooth[t + 1] * u;
    }
    i = j;
  }
  return out;
}

/** Running median of five, ends repeated. */
export function medianOf5(y: Float64Array): Float64Array {
  const n = y.length;
  const out = new Float64Array(n);
  const five = new Float64Array(5);
  for (let i = 0; i < n; i++) {
    for (let j = 0; j < 5; j++) {
      const v = y[Math.max(0, Math.min(n - 1, i + j - 2))];
      let t = j;
      while (t > 0 && five[t - 1] > v) {
        five[t] = five[t - 1];
        t--;
      }
      five[t] = v;
    }
    out[i] = five[2];
  }
  return out;
}
