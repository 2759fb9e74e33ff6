/** The median of a stretch of values that only moves on; of an even number the greater of the middle two. */
export class SlidingMedian {
  private readonly sorted: Float64Array;
  /** Values [from, to) are in it. */
  private from = 0;
  private to = 0;

  /** @param longest how many values a stretch has at most */
  constructor(
    private readonly values: ArrayLike<number>,
    longest: number,
  ) {
    this.sorted = new Float64Array(longest);
  }

  /** Of values [from, to), neither before the ones of the last call; at least one. */
  over(from: number, to: number): number {
    for (; this.from < from; this.from++) {
      if (this.from === this.to) this.to++;
      else this.take(this.values[this.from]);
    }
    for (; this.to < to; this.to++) this.put(this.values[this.to]);
    return this.sorted[(to - from) >> 1];
  }

  private take(value: number): void {
    const { sorted } = this;
    const last = this.to - this.from - 1;
    let i = 0;
    while (i < last && sorted[i] !== value) i++;
    for (; i < last; i++) sorted[i] = sorted[i + 1];
  }

  private put(value: number): void {
    const { sorted } = this;
    let i = this.to - this.from;
    for (; i > 0 && sorted[i - 1] > value; i--) sorted[i] = sorted[i - 1];
    sorted[i] = value;
  }
}
