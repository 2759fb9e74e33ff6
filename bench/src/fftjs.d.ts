declare module 'fft.js' {
  export default class FFT {
    constructor(size: number);
    transform(out: ArrayLike<number>, input: ArrayLike<number>): void;
  }
}
