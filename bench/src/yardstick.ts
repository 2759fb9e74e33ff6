import FFT from 'fft.js';

/** The fixed yardstick every speed stands beside: seconds for 10,000 complex transforms of 2,048 by a plain library, which is not ours. */
export function yardstick(): number {
  transforms(10000);
  return Math.min(transforms(10000), transforms(10000));
}

const fft = new FFT(2048);
const input = Float64Array.from({ length: 4096 }, (_, i) => Math.sin(i * 0.37));
const output = new Float64Array(4096);

/** Seconds for so many of them. */
function transforms(count: number): number {
  const t = performance.now();
  for (let i = 0; i < count; i++) fft.transform(output, input);
  return (performance.now() - t) / 1000;
}

/** What figures that are asked for are asked of: a machine whose yardstick takes so long, s. */
const ASKED_YARDSTICK = 0.75;

/**
 * Seconds a function takes: the best of its runs, and on a machine whose yardstick takes .75 s. The shared machine changes its pace
 * from second to second, so both are measured in turns; the median counts.
 */
export function pacedSeconds(f: () => void, runs = 9): { best: number; paced: number } {
  for (let i = 0; i < 2; i++) f();
  transforms(1000);
  const times: number[] = [];
  const paced: number[] = [];
  for (let i = 0; i < runs; i++) {
    const before = transforms(500);
    const t = performance.now();
    f();
    const took = (performance.now() - t) / 1000;
    times.push(took);
    paced.push((took * ASKED_YARDSTICK) / (10 * (before + transforms(500))));
  }
  return { best: Math.min(...times), paced: paced.sort((a, b) => a - b)[runs >> 1] };
}

/** The same as a row: audio seconds per second. @param length of the sound, s */
export function speedOf(what: string, length: number, f: () => void, runs?: number): Record<string, string | number> {
  const { best, paced } = pacedSeconds(f, runs);
  return { what, best: length / best, 'at a yardstick of .75 s': length / paced };
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
