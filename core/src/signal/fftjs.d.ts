declare module 'fft.js' {
  /** Radix-4 complex FFT on interleaved arrays. */
  export default class FFT {
    constructor(size: number);
    readonly size: number;
    transform(out: ArrayLike<number>, data: ArrayLike<number>): void;
    inverseTransform(out: ArrayLike<number>, data: ArrayLike<number>): void;
  }
}
