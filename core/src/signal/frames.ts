import { Fourier, hann } from './fft';

/**
 * Power spectra of Hann frames centred at k * hop samples, two real frames a transform; zeros beyond the ends.
 * @param hop samples, may be a fraction @param length of the window where it is shorter than the transform, samples @param visit gets the frame's number and its power in size / 2 + 1 bins, free to be overwritten
 */
export function powerFrames(
  x: Float32Array,
  size: number,
  hop: number,
  frames: number,
  visit: (k: number, power: Float64Array) => void,
  length = size,
): void {
  const fourier = Fourier.of(size);
  const { output } = fourier;
  const half = size / 2;
  const window = new Float64Array(size);
  window.set(hann(length), half - Math.floor(length / 2));
  const [first, second] = [new Float64Array(half + 1), new Float64Array(half + 1)];
  for (let k = 0; k < frames; k += 2) {
    fourier.loadPair(x, Math.round(k * hop) - half, Math.round((k + 1) * hop) - half, window);
    fourier.forward();
    for (let i = 0; i <= half; i++) {
      const j = i ? size - i : 0;
      const ar = output[2 * i] + output[2 * j];
      const ai = output[2 * i + 1] - output[2 * j + 1];
      const br = output[2 * i + 1] + output[2 * j + 1];
      const bi = output[2 * j] - output[2 * i];
      first[i] = (ar * ar + ai * ai) / 4;
      second[i] = (br * br + bi * bi) / 4;
    }
    visit(k, first);
    if (k + 1 < frames) visit(k + 1, second);
  }
}
