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
  const fourier = Fourier.of(size);
  const window = hann(size);
  const [one, two] = [new Float64Array(size / 2), new Float64Array(size / 2)];
  const { input, output } = fourier;
  const frames = Math.ceil(x.length / hop);
  // two real frames a complex transform, taken apart by symmetry
  for (let k = 0; k < frames; k += 2) {
    const a = k * hop - size / 2;
    const b = a + hop;
    for (let i = 0; i < size; i++) {
      input[2 * i] = a + i >= 0 && a + i < x.length ? x[a + i] * window[i] : 0;
      input[2 * i + 1] = b + i >= 0 && b + i < x.length ? x[b + i] * window[i] : 0;
    }
    fourier.forward();
    for (let q = 1; q < size / 2; q++) {
      const m = 2 * (size - q);
      const [re, im, rm, jm] = [output[2 * q], output[2 * q + 1], output[m], output[m + 1]];
      one[q] = Math.sqrt((re + rm) * (re + rm) + (im - jm) * (im - jm)) / 2;
      two[q] = Math.sqrt((im + jm) * (im + jm) + (rm - re) * (rm - re)) / 2;
    }
    one[0] = Math.abs(output[0]);
    two[0] = Math.abs(output[1]);
    visit(k, one);
    if (k + 1 < frames) visit(k + 1, two);
  }
}
