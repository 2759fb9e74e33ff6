import { halveRate } from '../signal/filter';
import { powerFrames } from '../signal/frames';

/** Samples brought down to a rate between 20 and 40 kHz (or as they are when lower), and that rate. */
export function loweredTo(
  samples: Float32Array,
  sampleRate: number,
  atMost: number,
): { x: Float32Array; rate: number } {
  let x = samples;
  let rate = sampleRate;
  while (rate / 2 >= atMost) {
    x = halveRate(x);
    rate /= 2;
  }
  return { x, rate };
}

/**
 * Magnitude spectra of Hann frames, one after the other in the same array. Frame k is centred at k * hop samples.
 * @param visit gets the frame's index and size / 2 magnitudes
 */
export function eachSpectrum(
  x: Float32Array,
  size: number,
  hop: number,
  visit: (frame: number, magnitudes: Float64Array) => void,
): void {
  const magnitudes = new Float64Array(size / 2);
  powerFrames(x, size, hop, Math.ceil(x.length / hop), (k, power) => {
    for (let q = 0; q < magnitudes.length; q++) magnitudes[q] = Math.sqrt(power[q]);
    visit(k, magnitudes);
  });
}
