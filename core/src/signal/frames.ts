import { hann } from './fft';
import { FramePair } from './frame-pair';
import type { Stretches } from './stretches';

/** Samples of a sound that comes in stretches that are held at once. */
const HELD = 2 ** 18;

/**
 * Power spectra of Hann frames centred at k * hop samples, two real frames a transform, in single precision; zeros beyond the ends.
 * @param hop samples, may be a fraction @param length of the window where it is shorter than the transform, samples @param visit gets the frame's number and its power in size / 2 + 1 bins, free to be overwritten
 */
export function powerFrames(
  x: Float32Array | Stretches,
  size: number,
  hop: number,
  frames: number,
  visit: (k: number, power: Float32Array) => void,
  length = size,
): void {
  const half = size / 2;
  // a power is a quarter of what a pair tells
  const window = hann(length).map(v => v / 2);
  const pair = new FramePair(size, [window]);
  const before = Math.floor(length / 2);
  const [first, second] = [pair.first, pair.second].map(p => p.subarray(0, half + 1));
  const whole = x instanceof Float32Array;
  let held = whole ? x : new Float32Array(0);
  let at = 0;
  for (let k = 0; k < frames; k += 2) {
    const [a, b] = [Math.round(k * hop) - before, Math.round((k + 1) * hop) - before];
    if (!whole && (a < at || b + length > at + held.length)) {
      at = a;
      held = x.stretch(a, a + Math.max(HELD, b + length - a));
    }
    pair.transform(held, a - at, b - at);
    pair.powers();
    visit(k, first);
    if (k + 1 < frames) visit(k + 1, second);
  }
}
