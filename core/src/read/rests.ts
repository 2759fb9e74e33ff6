import { floatsOf, lengthOf, type Samples } from '../signal/samples';

/** Power of each step of a sound, summed over its channels; what is left over at the end is no step. @param step samples */
export function stepPowers(channels: readonly Samples[], step: number): Float64Array {
  return Float64Array.from({ length: Math.floor(lengthOf(channels[0]) / step) }, (_, k) => {
    let sum = 0;
    for (const c of channels) {
      const x = floatsOf(c, k * step, (k + 1) * step);
      for (let i = 0; i < step; i++) sum += x[i] * x[i];
    }
    return sum;
  });
}

/** Where the quietest stretch of some steps begins, of those that begin from one step to before another; -1 when there is none. */
export function quietest(power: Float64Array, steps: number, from: number, to: number): number {
  let best = -1;
  let least = Infinity;
  for (let k = Math.max(0, Math.ceil(from)); k < Math.min(to, power.length - steps + 1); k++) {
    let sum = 0;
    for (let i = k; i < k + steps; i++) sum += power[i];
    if (sum < least) [least, best] = [sum, k];
  }
  return best;
}
