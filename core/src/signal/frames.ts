import { hann } from './fft';
import { FramePair } from './frame-pair';

/**
 * Power spectra of Hann frames centred at k * hop samples, two real frames a transform, in single precision; zeros beyond the ends.
 * @param hop samples, may be a fraction @param length of the window where it is shorter than the transform, samples @param visit gets the frame's number and its power in size / 2 + 1 bins, free to be overwritten
 */
export function powerFrames(
  x: Float32Array,
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
  for (let k = 0; k < frames; k += 2) {
    pair.transform(x, Math.round(k * hop) - before, Math.round((k + 1) * hop) - before);
    pair.powers();
    visit(k, first);
    if (k + 1 < frames) visit(k + 1, second);
  }
}
