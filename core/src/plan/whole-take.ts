import { midline, runsOf } from '../read';
import { nearestStep, type Scale } from '../music';
import type { Cents } from '../units';
import { JointSmoother } from './body';
import { voicePlan, type TakePlan } from './plan';
import type { SplitTake } from './split';

/** How far and how long a line may stray before it counts as another step. */
export interface Slack {
  cents: number;
  ms: number;
}
export const USUAL_SLACK: Slack = { cents: 20, ms: 80 };

export interface WholeTakeOptions {
  /** Time constant with which the voice reaches its rail, ms. */
  settleMs: number;
  /** 0..1 */
  aim: number;
  /** Vibrato kept, 0..1: the correction then follows the line without it. */
  vibrato: number;
  scale: Scale;
  slack?: Slack;
}

/** Tunes a take without notes: the correction approaches (step - line) with a time constant. */
export function planWholeTake(
  m: SplitTake,
  { settleMs, aim, vibrato, scale, slack = USUAL_SLACK }: WholeTakeOptions,
): TakePlan {
  const line = Float64Array.from(m.sung);
  const pace = settleMs > 0 ? 1 - Math.exp(-5 / settleMs) : 1;
  for (const [a, z] of runsOf(m.voiced)) {
    const sung = m.sung.slice(a, z);
    const middle = midline(sung);
    const steps = followSteps(middle, scale, slack);
    const slow = z - a > 6 ? slowLine(sung) : sung;
    let held = NaN;
    for (let i = 0; i < sung.length; i++) {
      const base = slow[i] + (sung[i] - slow[i]) * (1 - Math.min(1, vibrato));
      const wanted = aim * (steps[i] - base);
      held = Number.isNaN(held) ? wanted : held + pace * (wanted - held);
      line[a + i] = sung[i] + held;
    }
  }
  return { voice: voicePlan(m, line, Uint8Array.from(m.voiced)), line, dirty: { start: 0, end: line.length } };
}

/**
 * The step each frame belongs to. A stray becomes another step once the midline has been beyond half way by slack.cents for slack.ms;
 * the change is dated back to where the line crossed.
 */
export function followSteps(middle: Float64Array, scale: Scale, slack: Slack): Cents[] {
  const need = Math.max(1, Math.round(slack.ms / 5));
  const n = middle.length;
  const near = Array.from(middle, c => nearestStep(scale, c));
  const vote = (a: number, b: number) => {
    const counts = new Map<number, number>();
    for (let i = a; i < b; i++) counts.set(near[i], (counts.get(near[i]) ?? 0) + 1);
    return [...counts].sort((p, q) => q[1] - p[1])[0][0];
  };
  let current = vote(0, Math.min(n, need));
  let since = -1;
  const out: Cents[] = [];
  for (let i = 0; i < n; i++) {
    const beyond =
      near[i] !== current && (middle[i] - (current + near[i]) / 2) * Math.sign(near[i] - current) > slack.cents;
    if (!beyond) since = -1;
    else if (since < 0) since = i;
    if (beyond && i - since + 1 >= need) {
      const next = vote(since, i + 1);
      let from = since;
      while (
        from > 0 &&
        out[from - 1] === current &&
        (middle[from - 1] - (current + next) / 2) * Math.sign(next - current) > 0
      )
        from--;
      for (let k = from; k < i; k++) out[k] = next;
      current = next;
      since = -1;
    }
    out.push(current);
  }
  return out;
}

/** The line less its vibrato, without notes: the joint smoother with the rate that fits best, loose enough for glides. */
function slowLine(sung: Float64Array): Float64Array {
  const weights = new Float64Array(sung.length).fill(1);
  const stiffness = 300;
  let best = sung;
  let least = Infinity;
  for (const rate of [4.4, 5, 5.6, 6.3, 7.1]) {
    const { slow, vibrato } = new JointSmoother(weights, rate, stiffness).split(sung);
    let cost = 0;
    for (let i = 0; i < sung.length; i++) cost += (sung[i] - slow[i] - vibrato[i]) ** 2;
    for (let i = 1; i + 1 < sung.length; i++) cost += stiffness * (slow[i + 1] - 2 * slow[i] + slow[i - 1]) ** 2;
    if (cost < least) [least, best] = [cost, slow];
  }
  return best;
}
