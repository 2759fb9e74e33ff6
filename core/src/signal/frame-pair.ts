import { copySamples } from './samples';
import { BYTES, placesFor } from './single';
import { Stages } from './stages';

/** Two real frames in one complex transform, in single precision; each user has one of its own. */
export class FramePair {
  private readonly places;
  private readonly stages: Stages;
  private readonly windows: { at: number; length: number }[];
  /** What powers() tells of the first and the second frame, size / 2 + 1 numbers and a few more; free to be overwritten. */
  readonly first: Float32Array;
  readonly second: Float32Array;

  /** @param size of the transform, a power of two, 8 or more @param windows frames may be looked at through, at most so long */
  constructor(
    readonly size: number,
    windows: readonly Float64Array[],
  ) {
    this.stages = new Stages(size);
    const lengths = windows.map(w => Math.ceil(w.length / 4) * 4);
    this.places = placesFor({
      a: size,
      b: size,
      input: 2 * size,
      output: 2 * size,
      spare: 2 * size,
      first: size / 2 + 1,
      second: size / 2 + 1,
      similarity: size,
      windows: lengths.reduce((sum, l) => sum + l, 0),
      twiddles: this.stages.twiddles.length,
    });
    const { twiddles, windows: w, first, second } = this.places;
    twiddles.values.set(this.stages.twiddles);
    let at = 0;
    this.windows = windows.map((window, i) => {
      w.values.set(window, at);
      const one = { at: w.at + at * BYTES, length: window.length };
      at += lengths[i];
      return one;
    });
    this.first = first.values;
    this.second = second.values;
  }

  /** Transforms two stretches of a sound under a window; zeros beyond the sound's ends and after the window. */
  transform(x: Float32Array, first: number, second: number, window = 0): void {
    const { a, b, input, run } = this.places;
    const { at, length } = this.windows[window];
    copySamples(x, first, length, a.values);
    copySamples(x, second, length, b.values);
    run.pair(a.at, b.at, at, length, input.at);
    input.values.fill(0, 2 * length);
    this.forward();
  }

  /** Power of both frames, times four, or its fourth root, of the bins from 0 on: into first and second. */
  powers(count = this.size / 2 + 1, roots = false): void {
    const { output, first, second, run } = this.places;
    const { size } = this;
    output.values[2 * size] = output.values[0];
    output.values[2 * size + 1] = output.values[1];
    run.powers(output.at, size, count, roots ? 1 : 0, first.at, second.at);
  }

  /** The transform of two symmetric spectra, whose halves lie in first and second: of powers, both autocorrelations, times size. */
  back(): void {
    const { first, second, input, run } = this.places;
    run.mirrored(first.at, second.at, this.size, input.at);
    this.forward();
  }

  /**
   * After back(): normalised square differences 2 r / (e1 + e2) of the first n samples of a frame at lags from one to another, a number
   * a lag. The frames must have been under a window of ones. @param scale by how much the autocorrelation is too large
   */
  similarity(part: 'first' | 'second', n: number, from: number, to: number, scale: number): Float32Array {
    const { a, b, output, similarity, run } = this.places;
    const [frame, offset] = part === 'first' ? [a.at, 0] : [b.at, BYTES];
    run.similarity(frame, n, output.at + offset, scale, from, to, similarity.at);
    return similarity.values;
  }

  private forward(): void {
    const { input, output, spare, twiddles, run } = this.places;
    this.stages.run(run, twiddles, input, output, spare);
  }
}
