import { hashNoise } from '../signal/random';
import { quantile } from '../signal/statistics';
import { smoothStep, type Cents, type Decibels, type Hertz, type Seconds } from '../units';
import type { VoicePlan } from '../voice';
import { FRAME } from './body';
import type { NoteMovement } from './movement';

/** A vibrato to be added to a note. */
export interface AddedVibrato {
  rateHz: Hertz;
  /** From the middle to the top. */
  depthCents: Cents;
  /** Before it begins; its phase is 0 there. */
  delay: Seconds;
  /** In which it grows to its depth. */
  build: Seconds;
  /** 0 a machine's, 1 as irregular as an untrained voice: rate and depth wander by up to a tenth each. */
  irregularity: number;
  /** Seeds the irregularity. */
  seed: number;
  /** Loudness swings with the pitch by this, from the middle to the top. */
  swayDb: Decibels;
  /** The formants swing with the pitch by this. */
  swayCents: Cents;
}

/** In which a vibrato dies away at the note's end, s. */
const RELEASE = 0.07;

/**
 * A plan with a vibrato added between two moments of the source. The given plan is left as it is.
 * Cost: of the note's length, and a copy of the curves.
 */
export function addVibrato(plan: VoicePlan, from: Seconds, to: Seconds, v: AddedVibrato): VoicePlan {
  const frames = plan.offsetCents.length;
  const out: VoicePlan = {
    ...plan,
    offsetCents: plan.offsetCents.slice(),
    active: plan.active.slice(),
    ...(v.swayDb ? { levelDb: plan.levelDb?.slice() ?? new Float32Array(frames) } : {}),
    ...(v.swayCents ? { formantCents: plan.formantCents?.slice() ?? new Float32Array(frames) } : {}),
  };
  const last = Math.min(frames - 1, Math.floor(to / plan.hop));
  swings(from, to, v, plan.hop, (k, swing) => {
    if (k < 0 || k > last) return;
    out.offsetCents[k] += v.depthCents * swing;
    if (v.swayDb) out.levelDb![k] += v.swayDb * swing;
    if (v.swayCents) out.formantCents![k] += v.swayCents * swing;
  });
  out.active.fill(1, Math.max(0, Math.round(from / plan.hop)), last + 1);
  return out;
}

/** How a vibrato swings: -1 to 1 and a little over, by frames. */
export type Swing = Pick<AddedVibrato, 'rateHz' | 'delay' | 'build' | 'irregularity' | 'seed'>;
export function swings(
  from: Seconds,
  to: Seconds,
  v: Swing,
  hop: Seconds,
  each: (frame: number, swing: number) => void,
): void {
  const first = Math.max(0, Math.ceil((from + v.delay) / hop));
  const last = Math.floor(to / hop);
  let phase = 0;
  for (let k = first; k <= last; k++) {
    const t = k * hop;
    const cycle = phase / (2 * Math.PI);
    const wander = 0.1 * v.irregularity * slowNoise(v.seed, cycle);
    const shape = smoothStep((t - from - v.delay) / Math.max(hop, v.build)) * smoothStep((to - t) / RELEASE);
    each(k, Math.sin(phase) * shape * (1 + 0.1 * v.irregularity * slowNoise(v.seed + 7919, cycle)));
    phase += 2 * Math.PI * v.rateHz * (1 + wander) * hop;
  }
}

/** Another rate and phase for a vibrato that was sung. */
export interface VibratoTurn {
  /** Its rate over the sung one. */
  faster: number;
  /** It begins so much further on in its swing, radians. */
  phase: number;
  /** 0 keeps how its swings grow and differ, 1 makes them alike; absent: 0. */
  even?: number;
}

/** The most a narrow swing is widened. */
const MOST_EVENED = 3;
/** At the ends of a note the sung vibrato is left as it is, so that joins and ways out stay. s */
const LEFT_AT_ENDS = 0.06;

/**
 * What must be added to a sung vibrato for it to swing at another rate and phase: amplitude and phase are turned in quadrature, so that
 * its own growth and unrest stay. The turn comes in over one cycle after the vibrato has begun. Cost: of the note's length.
 * @returns cents a frame of the note; zeros for a note without vibrato
 */
export function turnedVibrato(o: NoteMovement, { faster, phase, even = 0 }: VibratoTurn): Float64Array {
  const out = new Float64Array(o.length);
  if (!o.vibratoShape) return out;
  const { rate, delay } = o.vibratoShape;
  const omega = 2 * Math.PI * rate * FRAME;
  const begin = Math.max(0, delay);
  // of A cos(x): A sin(x), from its neighbours
  const acrossAt = (k: number) => (o.vibratoAt(k - 1) - o.vibratoAt(k + 1)) / (2 * Math.sin(omega));
  const gainAt = even ? evenGain(o, acrossAt, even) : () => 1;
  for (let i = 0; i < out.length; i++) {
    const k = o.start + i;
    const t = i * FRAME;
    const turn = (2 * Math.PI * rate * (faster - 1) * Math.max(0, t - begin) + phase) * smoothStep((t - begin) * rate);
    const swing = o.vibratoAt(k);
    const edge = smoothStep(t / LEFT_AT_ENDS) * smoothStep(((out.length - 1 - i) * FRAME) / LEFT_AT_ENDS);
    out[i] = edge * (gainAt(k) * (swing * Math.cos(turn) - acrossAt(k) * Math.sin(turn)) - swing);
  }
  return out;
}

/** What a swing is multiplied by to be as wide as the note's usual one; where there is hardly one nothing is blown up. */
function evenGain(o: NoteMovement, acrossAt: (k: number) => number, even: number): (k: number) => number {
  const widths = Float64Array.from({ length: o.length }, (_, i) =>
    Math.hypot(o.vibratoAt(o.start + i), acrossAt(o.start + i)),
  );
  const usual = quantile(widths, 0.6);
  return k => {
    const width = widths[Math.max(0, Math.min(widths.length - 1, k - o.start))];
    return 1 + even * (usual / Math.max(width, usual / MOST_EVENED) - 1);
  };
}

/** Between -1 and 1, smooth, about one turn in two cycles. */
function slowNoise(seed: number, cycle: number): number {
  const k = Math.floor(cycle);
  const at = (i: number) => 2 * hashNoise(seed * 1009 + i);
  return at(k) + (at(k + 1) - at(k)) * smoothStep(cycle - k);
}
