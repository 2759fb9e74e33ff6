import type { TimeMap } from '../song/timemap';

/** A stretch of the source that keeps one speed. Samples. */
export interface Pace {
  source: number;
  output: number;
  sourceEnd: number;
  /** Output samples a source sample. 1: its sound is copied, moved by whole samples. */
  slope: number;
}

const SAME = 1e-6;

/**
 * A time map in samples. Where it runs at natural speed it is rounded to whole samples, so that sound moved but not bent is copied bit
 * for bit; what is bent next to it takes up the half sample.
 */
export class TimeLine {
  private constructor(
    readonly paces: readonly Pace[],
    /** Length of the output, samples. */
    readonly length: number,
  ) {}

  static of(map: TimeMap | null | undefined, length: number, sampleRate: number): TimeLine {
    const straight = [{ source: 0, output: 0, sourceEnd: length, slope: 1 }];
    const points = map?.toJSON() ?? [];
    if (!map || points.every(p => p.from === p.to)) return new TimeLine(straight, length);
    const at = [0, ...points.map(p => p.from * sampleRate).filter(t => t > SAME && t < length - SAME), length];
    const out = at.map(t => map.forward(t / sampleRate) * sampleRate);
    const isStraight = at.map((t, i) => Math.abs((out[i + 1] - out[i]) / (at[i + 1] - t) - 1) < SAME);
    const total = Math.round(out[out.length - 1]);
    for (let i = 0; i + 1 < at.length; i++)
      if (isStraight[i]) {
        const shift = Math.round(out[i] - at[i]);
        out[i] = at[i] + shift;
        out[i + 1] = at[i + 1] + shift;
      }
    const paces = at.slice(0, -1).map((source, i): Pace => {
      const slope = (out[i + 1] - out[i]) / (at[i + 1] - source);
      return {
        source,
        output: out[i],
        sourceEnd: at[i + 1],
        slope: Math.abs(slope - 1) < SAME ? 1 : slope,
      };
    });
    return new TimeLine(joined(paces), total);
  }

  /** Whether nothing is moved. */
  get natural(): boolean {
    return this.paces.length === 1 && this.paces[0].slope === 1 && this.paces[0].output === 0;
  }

  /** The pace at a source sample; the first and the last go on beyond the ends. */
  at(t: number): Pace {
    return this.paces[this.index(t, 'source')];
  }

  private index(t: number, clock: 'source' | 'output'): number {
    const { paces } = this;
    let low = 0;
    let high = paces.length - 1;
    while (low < high) {
      const middle = (low + high + 1) >> 1;
      if (paces[middle][clock] <= t) low = middle;
      else high = middle - 1;
    }
    return low;
  }

  forward(t: number): number {
    const p = this.at(t);
    return p.output + (t - p.source) * p.slope;
  }

  backward(u: number): number {
    const p = this.paces[this.index(u, 'output')];
    return p.source + (u - p.output) / p.slope;
  }
}

/** Paces that copy on from each other without a seam are one: a map's point in the middle of what is only moved is not heard. */
function joined(paces: readonly Pace[]): Pace[] {
  const out: Pace[] = [];
  for (const p of paces) {
    const last = out[out.length - 1];
    if (last?.slope === 1 && p.slope === 1 && Math.abs(last.output - last.source - (p.output - p.source)) < SAME)
      last.sourceEnd = p.sourceEnd;
    else out.push({ ...p });
  }
  return out;
}
