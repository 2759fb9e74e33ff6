import type { Meeting } from '../song/timemap';

/**
 * The fewest points of a map, among its own, between which straight lines stay near it (Ramer 1972, Douglas and Peucker 1973).
 * @param near how far a point left out may lie from the line, s @param kept points that stay whatever they are
 */
export function simplified(
  points: readonly Meeting[],
  near: number,
  kept: ReadonlySet<Meeting> = new Set(),
): Meeting[] {
  const stays = new Uint8Array(points.length);
  if (!points.length) return [];
  stays[0] = stays[points.length - 1] = 1;
  let before = 0;
  const open: [number, number][] = [];
  points.forEach((p, i) => {
    if (!kept.has(p) && i < points.length - 1) return;
    stays[i] = 1;
    if (i > before) open.push([before, i]);
    before = i;
  });
  for (let span = open.pop(); span; span = open.pop()) {
    const [a, z] = span;
    const [p, q] = [points[a], points[z]];
    const slope = (q.to - p.to) / (q.from - p.from);
    let worst = near;
    let at = -1;
    for (let i = a + 1; i < z; i++) {
      const away = Math.abs(points[i].to - p.to - slope * (points[i].from - p.from));
      if (away > worst) [worst, at] = [away, i];
    }
    if (at < 0) continue;
    stays[at] = 1;
    open.push([a, at], [at, z]);
  }
  return points.filter((_, i) => stays[i]);
}
