import FFT from 'fft.js';

/** Seconds a function takes, the best of some runs after a warm-up. */
export function seconds(f: () => void, runs = 3): number {
  f();
  let best = Infinity;
  for (let i = 0; i < runs; i++) {
    const t = performance.now();
    f();
    best = Math.min(best, (performance.now() - t) / 1000);
  }
  return best;
}

/** The fixed yardstick every speed stands beside: seconds for 10,000 complex transforms of 2,048 by a plain library, which is not ours. */
export function yardstick(): number {
  const fft = new FFT(2048);
  const input = Float64Array.from({ length: 4096 }, (_, i) => Math.sin(i * 0.37));
  const output = new Float64Array(4096);
  return seconds(() => {
    for (let i = 0; i < 10000; i++) fft.transform(output, input);
  }, 2);
}

/** Prints rows as a table with one heading. */
export function table(title: string, rows: Record<string, string | number>[]): void {
  console.log(`\n${title}`);
  const columns = Object.keys(rows[0]);
  const text = (v: string | number | undefined) =>
    typeof v === 'number'
      ? Math.abs(v) >= 100
        ? v.toFixed(0)
        : Math.abs(v) >= 10
          ? v.toFixed(1)
          : v.toFixed(2)
      : (v ?? '');
  const widths = columns.map(c => Math.max(c.length, ...rows.map(r => text(r[c]).length)));
  console.log(columns.map((c, i) => c.padEnd(widths[i])).join('  '));
  for (const r of rows)
    console.log(
      columns
        .map((c, i) => (typeof r[c] === 'number' ? text(r[c]).padStart(widths[i]) : text(r[c]).padEnd(widths[i])))
        .join('  '),
    );
}
