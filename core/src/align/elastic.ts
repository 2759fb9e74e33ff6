import { BandedSystem } from '../signal/banded';
import type { Seconds } from '../units';

/** What draws a line to places and how stiff it is; one number a point. */
export interface Elastic {
  /** How much each point is drawn to its place; 0: not at all. */
  weights: Float64Array;
  places: Float64Array;
  /** How much each stretch between a point and the next resists being bent. */
  stiffness: Float64Array;
}

/** Speeds that may be asked, and how often a stretch beyond them is stiffened before it is left. */
export interface Bounds {
  slowest: number;
  fastest: number;
  /** Where the line may do as it likes, down to standing nearly still: silence. */
  free?: Uint8Array;
}

const ROUNDS = 24;
const STIFFER = 2.5;
/** Silence may be passed through as fast or slowly as this. */
const FREE_LEAST = 0.1;
const LEAST_RISE = 0.002;

/**
 * The line nearest to the places that bends least: sum of w (y - p)^2 + stiffness (dy - step)^2, one tridiagonal solve; stretches that
 * would go too slowly or too fast are stiffened and it is solved again. The result rises strictly.
 * @param step distance of points
 */
export function elasticLine(e: Elastic, step: Seconds, { slowest, fastest, free }: Bounds): Float64Array {
  const { weights, places } = e;
  const n = weights.length;
  const stiffness = e.stiffness.slice();
  // ten minutes are 3 MB of them, and there may be many rounds
  const system = new BandedSystem(n, Math.min(1, n - 1));
  const y = new Float64Array(n);
  const solve = () => solveInto(y, system, { weights, places, stiffness }, step);
  solve();
  for (let round = 0; round < ROUNDS; round++) {
    let bent = false;
    for (let i = 0; i + 1 < n; i++) {
      const speed = (y[i + 1] - y[i]) / step;
      if (speed >= slowest && speed <= fastest) continue;
      if (free?.[i] && speed >= FREE_LEAST) continue;
      // a stretch without any stiffness of its own begins with the weight of what draws it
      stiffness[i] = Math.max(stiffness[i] * STIFFER, 0.5);
      bent = true;
    }
    if (!bent) break;
    solve();
  }
  for (let i = 1; i < n; i++) if (y[i] < y[i - 1] + step * LEAST_RISE) y[i] = y[i - 1] + step * LEAST_RISE;
  return y;
}

/** One solve, however the last speeds were. @param y, system overwritten */
function solveInto(y: Float64Array, system: BandedSystem, { weights, places, stiffness }: Elastic, step: number): void {
  const n = weights.length;
  system.a.fill(0);
  y.fill(0);
  for (let i = 0; i < n; i++) {
    // a line nothing draws stays where it is
    system.add(i, i, weights[i] + 1e-9);
    y[i] += weights[i] * places[i] + 1e-9 * i * step;
    if (i + 1 === n) break;
    const s = stiffness[i];
    system.add(i, i, s);
    system.add(i + 1, i + 1, s);
    system.add(i + 1, i, -s);
    y[i] -= s * step;
    y[i + 1] += s * step;
  }
  system.factor();
  system.solve(y);
}
