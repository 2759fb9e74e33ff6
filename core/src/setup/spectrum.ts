import { Fourier, hann } from '../signal/fft';
import { halveRate } from '../signal/filter';

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
  const fourier = new Fourier(size);
  const window = hann(size);
  const magnitudes = new Float64Array(size / 2);
  const { input, output } = fourier;
  for (let k = 0; k * hop < x.length; k++) {
    const from = k * hop - size / 2;
    for (let i = 0; i < size; i++) {
      input[2 * i] = (x[from + i] ?? 0) * window[i];
      input[2 * i + 1] = 0;
    }
    fourier.forward();
    for (let b = 0; b < size / 2; b++) magnitudes[b] = Math.hypot(output[2 * b], output[2 * b + 1]);
    visit(k, magnitudes);
  }
}
