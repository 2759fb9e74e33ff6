import { readShifted } from '../signal/kernels';
import { hashNoise } from '../signal/random';
import { sincAt, sincPhase } from '../signal/sinc';
import type { PitchedSegment } from './epochs';
import type { Layers } from './separate';
import type { PlanCurves } from './plan';
import type { TimeLine } from './timeline';

/** Sound carried over in grains of the recording itself: pitched sound where only time is bent, and the breath that goes past the pulses. */

/** Gain of the breath layer under moved pulses: the comb that separates it takes a little of it away. */
const BREATH_GAIN = 1.28;
const GRAIN_SECONDS = 0.006;
const COSINE_SIZE = 4096;
const COSINE = Float64Array.from({ length: COSINE_SIZE / 2 + 2 }, (_, i) => Math.cos((2 * Math.PI * i) / COSINE_SIZE));
/** Cosine of so many turns, 0 to half a turn. Between the table's places it goes straight, within 2e-7: none is a step. */
function cosine(turns: number): number {
  const t = turns * COSINE_SIZE;
  const i = t | 0;
  const c = COSINE[i];
  return c + (COSINE[i + 1] - c) * (t - i);
}
/** Beyond this change of speed or formant two neighbouring grains of breath have nothing in common. */
const APART = 0.02;

/**
 * Adds one grain: the periodic layer around an epoch under a Hann of one period each side, its centre at a fractional output place
 * (Moulines and Charpentier 1990).
 */
export function addGrain(
  { pulses: x, from: zero }: Layers,
  s: PitchedSegment,
  epoch: number,
  at: number,
  gain: number,
  from: number,
  to: number,
  out: Float32Array,
): void {
  const { epochs, periods } = s;
  const m = epochs.length;
  const centre = epochs[epoch];
  const left = epoch > 0 ? centre - epochs[epoch - 1] : periods[0];
  const right = epoch < m - 1 ? epochs[epoch + 1] - centre : periods[m - 1];
  const a = Math.max(from, Math.ceil(at - left));
  const b = Math.min(to - 1, Math.floor(at + right));
  const shift = centre - zero - at;
  const whole = Math.floor(shift);
  const p = sincPhase(shift - whole);
  const o = whole - 3;
  const last = x.length - 8;
  const first = Math.max(a, -o);
  const end = Math.min(b, last - o);
  if (end < first) return;
  const moved = readShifted(x, first + o, end - first + 1, p);
  for (let u = first; u <= end; u++) {
    const q = u - at;
    const w = gain * (0.5 + 0.5 * cosine(0.5 * (q < 0 ? -q / left : q / right)));
    out[u - from] += w * moved[u - first];
  }
}

/**
 * Adds the breath layer over output samples [a, b). Where neither time nor formants are bent it is copied; elsewhere it is laid in
 * 12 ms grains on a fixed grid, read at the formants' ratio and, when time is bent, at a wandering point, so that nothing repeats.
 */
export function addBreath(
  { breath: x, from: zero }: Layers,
  sampleRate: number,
  curves: PlanCurves,
  line: TimeLine,
  a: number,
  b: number,
  from: number,
  out: Float32Array,
): void {
  if (line.natural && !curves.plan.formantCents) {
    for (let u = a; u < b; u++) out[u - from] += BREATH_GAIN * (x[u - zero] ?? 0);
    return;
  }
  const hop = Math.round(GRAIN_SECONDS * sampleRate);
  const bent = (k: number) => {
    const t = line.backward(k * hop);
    const change = Math.abs(line.at(t).slope - 1) + Math.abs(curves.formantRatio(t) - 1);
    return Math.min(1, change / APART);
  };
  let k = Math.floor(a / hop);
  let before = bent(k - 1);
  let here = bent(k);
  for (; (k - 1) * hop < b; k++) {
    const after = bent(k + 1);
    const centre = k * hop;
    const t = line.backward(centre);
    const slope = line.at(t).slope;
    const ratio = curves.formantRatio(t);
    // grains that say the same add up as amplitudes, others as powers
    const powers = [Math.max(before, here), Math.max(here, after)];
    const wander = slope === 1 ? 0 : hashNoise(k) * hop * 0.8 * Math.min(1, Math.abs(slope - 1) / APART);
    // where time runs naturally the distance is whole, so that it is read without interpolation
    const read = (ratio === 1 ? Math.round(t + wander) : t + wander) - zero;
    const low = Math.max(a, centre - hop);
    const high = Math.min(b, centre + hop);
    for (let u = low; u < high; u++) {
      const d = u - centre;
      const c = cosine(0.25 * (d < 0 ? -d / hop : d / hop));
      const power = d < 0 ? powers[0] : powers[1];
      const w = BREATH_GAIN * (power === 1 ? c : power === 0 ? c * c : c ** (2 - power));
      out[u - from] += w * (ratio === 1 ? (x[read + d] ?? 0) : sincAt(x, read + d * ratio));
    }
    before = here;
    here = after;
  }
}
