import { BYTES, type Functions, type Place } from './single';

interface Step {
  radix: 4 | 2;
  m: number;
  s: number;
  /** Bytes from the first twiddle. */
  w: number;
}

/** The stages of a complex transform in single precision, and the twiddles they need, which belong into its memory. */
export class Stages {
  private readonly steps: Step[] = [];
  readonly twiddles: number[] = [];

  /** @param size a power of two, 8 or more */
  constructor(readonly size: number) {
    const { twiddles } = this;
    const turn = (p: number, k: number, n: number): [number, number] => {
      const angle = (-2 * Math.PI * k * p) / n;
      return [Math.cos(angle), Math.sin(angle)];
    };
    let n = size;
    let s = 1;
    for (; n >= 4; n /= 4, s *= 4) {
      const m = n / 4;
      this.steps.push({ radix: 4, m, s, w: twiddles.length * BYTES });
      // of two butterflies side by side at first, then of one, twice
      const step = s === 1 ? 2 : 1;
      for (let p = 0; p < m; p += step)
        for (let k = 1; k <= 3; k++) {
          const [c, d] = turn(p, k, n);
          const [e, f] = turn(p + step - 1, k, n);
          twiddles.push(c, c, e, e, -d, d, -f, f);
        }
    }
    if (n === 2) this.steps.push({ radix: 2, m: 1, s, w: 0 });
  }

  /** output = transform of input, interleaved re, im, without scaling. @param twiddles where they lie @param spare is overwritten */
  run(run: Functions, twiddles: Place, input: Place, output: Place, spare: Place): void {
    let from = input;
    let to = this.steps.length & 1 ? output : spare;
    for (const { radix, m, s, w } of this.steps) {
      if (radix === 2) run.two(from.at, to.at, s);
      else if (s === 1) run.first(from.at, to.at, m, twiddles.at + w);
      else run.four(from.at, to.at, m, s, twiddles.at + w);
      from = to;
      to = to === output ? spare : output;
    }
  }
}
