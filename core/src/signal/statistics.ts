/** The value below which a share q (0..1) of the numbers lies; 0 for none. */
export function quantile(values: ArrayLike<number>, q: number): number {
  if (!values.length) return 0;
  const sorted = new Float64Array(values).sort();
  return sorted[Math.min(sorted.length - 1, Math.floor(q * sorted.length))];
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
