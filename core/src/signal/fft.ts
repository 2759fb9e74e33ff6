import FFT from 'fft.js';

/** A complex transform of one size with its own work arrays; interleaved re, im. */
export class Fourier {
  private static readonly bySize = new Map<number, Fourier>();
  private readonly fft: FFT;
  /** Work arrays, 2 * size numbers each, free for the caller between calls. */
  readonly input: Float64Array;
  readonly output: Float64Array;

  /** @param size a power of two, 4 or more */
  constructor(readonly size: number) {
    this.fft = new FFT(size);
    this.input = new Float64Array(2 * size);
    this.output = new Float64Array(2 * size);
  }

  /** One shared instance a size: callers must be done with the work arrays before another uses them. */
  static of(size: number): Fourier {
    let found = Fourier.bySize.get(size);
    if (!found) Fourier.bySize.set(size, (found = new Fourier(size)));
    return found;
  }

  /** output = transform of input, without scaling. */
  forward(): void {
    this.fft.transform(this.output, this.input);
  }
}

/** Smallest power of two not below n. @example powerOfTwoFrom(700) // 1024 */
export function powerOfTwoFrom(n: number): number {
  let size = 4;
  while (size < n) size *= 2;
  return size;
}

/** Periodic-symmetric Hann window sampled at bin centres. */
export const hann = (n: number): Float64Array =>
  Float64Array.from({ length: n }, (_, i) => 0.5 - 0.5 * Math.cos((2 * Math.PI * (i + 0.5)) / n));
