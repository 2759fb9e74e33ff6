/** The value below which a share q (0..1) of the numbers lies; 0 for none. */
export function quantile(values: ArrayLike<number>, q: number): number {
  if (!values.length) return 0;
  const copy = new Float64Array(values);
  return selected(copy, Math.min(copy.length - 1, Math.floor(q * copy.length)));
}

/** The k-th smallest of the first few numbers, the smallest first (Hoare 1961); what is no number counts as the largest. Changes their order. */
export function selected(x: Float64Array, k: number, count = x.length): number {
  let [low, high] = [0, count - 1];
  // what is no number goes to the end, where a sort would put it
  for (let i = low; i <= high;) {
    if (x[i] === x[i]) i++;
    else {
      x[i] = x[high];
      x[high--] = NaN;
    }
  }
  if (k > high) return NaN;
  while (low < high) {
    const pivot = x[(low + high) >> 1];
    let [i, j] = [low, high];
    while (i <= j) {
      while (x[i] < pivot) i++;
      while (x[j] > pivot) j--;
      if (i > j) break;
      const v = x[i];
      x[i++] = x[j];
      x[j--] = v;
    }
    if (k <= j) high = j;
    else if (k >= i) low = i;
    else break;
  }
  return x[k];
}

export const median = (values: ArrayLike<number>): number => quantile(values, 0.5);

/** Weighted median of [value, weight] pairs; NaN for none. */
export function weightedMedian(pairs: [number, number][]): number {
  const sorted = [...pairs].sort((a, b) => a[0] - b[0]);
  const half = sorted.reduce((sum, p) => sum + p[1], 0) / 2;
  let passed = 0;
  for (const [value, weight] of sorted) if ((passed += weight) >= half) return value;
  return sorted.length ? sorted[sorted.length - 1][0] : NaN;
}
