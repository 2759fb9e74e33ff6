import { centsToRatio } from '../units';
import type { PitchedSegment } from './epochs';

/**
 * What the engine is to do, in source time. Frame k of the curves is centred at k * hop seconds.
 * Where nothing is active the source comes out untouched.
 */
export interface VoicePlan {
  hop: number;
  /** Cents added to the sung pitch, per frame. */
  offsetCents: Float32Array;
  /** 1 where an edit holds, even if its offset passes zero. */
  active: Uint8Array;
  /** All formants times this. */
  formantRatio: number;
  /** Length times this, 0.25 to 4. */
  stretch: number;
}

/** One output pulse: where it lies (output samples) and which epoch it is made from. */
export interface Pulse {
  at: number;
  segment: PitchedSegment;
  epoch: number;
  gain: number;
  /** Blend neighbouring epochs: only for steep shifts up, where the nearest one would be read twice. */
  blend: boolean;
}

/** Output span that pulses replace: faded in over [u0, u1], out over [v0, v1]; output samples. */
export interface Mask {
  u0: number;
  u1: number;
  v0: number;
  v1: number;
  /** The voice they are made from. */
  segment: PitchedSegment;
}

const BLEND_ABOVE = 1.6;
const PHASE_STEPS = 4;
const MIN_EPOCHS = 3;

/** A curve of a plan read at source samples. */
export class RatioCurve {
  constructor(
    private readonly plan: VoicePlan,
    private readonly sampleRate: number,
  ) {}
  private frame(t: number): number {
    return Math.max(0, Math.min(this.plan.offsetCents.length - 1, t / (this.plan.hop * this.sampleRate)));
  }
  /** Pitch ratio at source sample t. */
  ratio(t: number): number {
    const q = this.frame(t);
    const k = Math.floor(q);
    const c = this.plan.offsetCents;
    return centsToRatio(k + 1 < c.length ? c[k] + (c[k + 1] - c[k]) * (q - k) : c[k]);
  }
  active(t: number): boolean {
    return this.plan.active[Math.round(this.frame(t))] === 1;
  }
}

/**
 * Lays out the output pulses of every active run of epochs: pulse n stands where the integral of the ratio over the epochs' own phase
 * passes n, so that the singer's jitter stays and curves are met exactly.
 */
export function layPulses(
  segments: PitchedSegment[],
  plan: VoicePlan,
  sampleRate: number,
): { runs: Pulse[][]; masks: Mask[] } {
  const curve = new RatioCurve(plan, sampleRate);
  const everywhere = plan.stretch !== 1 || plan.formantRatio !== 1;
  const runs: Pulse[][] = [];
  const masks: Mask[] = [];
  for (const s of segments) {
    const m = s.epochs.length;
    const edited = (k: number) => everywhere || curve.active(s.epochs[k]);
    for (let k = 0; k < m; k++) {
      if (!edited(k)) continue;
      const first = k;
      while (k < m && edited(k)) k++;
      // a run that ends inside the segment lands on the first untouched epoch
      const last = Math.min(m - 1, k);
      if (last - first < MIN_EPOCHS - 1) continue;
      const run = layRun(s, first, last, k < m, plan, curve, sampleRate);
      runs.push(run.pulses);
      masks.push(run.mask);
    }
  }
  return { runs, masks };
}

function layRun(
  s: PitchedSegment,
  first: number,
  last: number,
  lands: boolean,
  plan: VoicePlan,
  curve: RatioCurve,
  sampleRate: number,
) {
  const { epochs, periods } = s;
  const m = epochs.length;
  const R = plan.stretch;
  const pulses: Pulse[] = [];
  const end = lands ? epochs[last] + 0.5 * periods[last] : epochs[m - 1] * R + 0.25 * periods[m - 1];
  let epoch = first;
  const put = (at: number) => {
    const t = at / R;
    while (epoch < m - 1 && Math.abs(epochs[epoch + 1] - t) <= Math.abs(epochs[epoch] - t)) epoch++;
    const ratio = curve.ratio(t);
    pulses.push({ at, segment: s, epoch, gain: Math.sqrt(plan.formantRatio / ratio), blend: ratio > BLEND_ABOVE });
  };
  let phase = 0;
  let wanted = 0;
  laying: for (let q = first; q < m; q++) {
    const step = (q < m - 1 ? epochs[q + 1] - epochs[q] : periods[m - 1]) / PHASE_STEPS;
    for (let b = 0; b < PHASE_STEPS; b++) {
      const t0 = epochs[q] + b * step;
      const advance = (R * curve.ratio(t0 + step / 2)) / PHASE_STEPS;
      while (wanted < phase + advance - 1e-9) {
        const at = (t0 + (step * (wanted - phase)) / advance) * R;
        if (at > end) break laying;
        put(at);
        wanted++;
      }
      phase += advance;
    }
  }
  if (lands && pulses.length > 2) landInPhase(pulses, s, first, last, curve, sampleRate);
  const a = pulses[0];
  const z = pulses[pulses.length - 1];
  const before = first > 0 ? epochs[first] - epochs[first - 1] : periods[0];
  const after = lands && last < m - 1 ? epochs[last + 1] - epochs[last] : periods[z.epoch];
  return { pulses, mask: { u0: a.at - before, u1: a.at, v0: z.at, v1: z.at + after, segment: s } };
}

/**
 * The last pulse misses the untouched voice by up to half a period: the miss is spread over the whole run, most where the asked curve
 * itself moves, so that held pitch bends least.
 */
function landInPhase(
  pulses: Pulse[],
  s: PitchedSegment,
  first: number,
  last: number,
  curve: RatioCurve,
  sampleRate: number,
): void {
  const n = pulses.length;
  const miss = s.epochs[last] - pulses[n - 1].at;
  const ramp = 0.03 * sampleRate;
  const share = new Float64Array(n);
  for (let k = 1; k < n; k++) {
    const a = pulses[k - 1].at;
    const b = pulses[k].at;
    const middle = (a + b) / 2;
    const slope = (Math.abs(Math.log2(curve.ratio(b) / curve.ratio(a))) * 1200) / ((b - a) / sampleRate);
    const edge = Math.min(1, (middle - pulses[0].at) / ramp, (pulses[n - 1].at - middle) / ramp);
    share[k] = share[k - 1] + (b - a) * edge * (1 + Math.min(19, slope / 100));
  }
  let epoch = first;
  for (let k = 1; k < n; k++) {
    const p = pulses[k];
    p.at += (miss * share[k]) / share[n - 1];
    while (epoch < s.epochs.length - 1 && Math.abs(s.epochs[epoch + 1] - p.at) <= Math.abs(s.epochs[epoch] - p.at))
      epoch++;
    p.epoch = epoch;
  }
  pulses[n - 1].at = s.epochs[last];
  pulses[n - 1].epoch = last;
}
