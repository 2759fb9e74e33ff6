import type { Seconds } from '../units';

/** A point where a time of one clock meets a time of another. */
export interface Meeting {
  from: Seconds;
  to: Seconds;
}

/**
 * Converts between two of the three times (source, track, song): a strictly increasing, piecewise linear map that goes on
 * straight beyond its ends. Both directions agree to 1e-9 s.
 * @example TimeMap.shift(2).forward(1) // 3
 */
export class TimeMap {
  private constructor(private readonly points: readonly Meeting[]) {}

  static readonly identity = new TimeMap([{ from: 0, to: 0 }]);

  static shift(by: Seconds): TimeMap {
    return by ? new TimeMap([{ from: 0, to: by }]) : TimeMap.identity;
  }

  /** The first `duration` seconds at one speed. @param factor length after over length before */
  static stretch(factor: number, duration: Seconds): TimeMap {
    return factor === 1
      ? TimeMap.identity
      : TimeMap.through([
          { from: 0, to: 0 },
          { from: duration, to: duration * factor },
        ]);
  }

  /** @throws RangeError unless both columns rise strictly */
  static through(points: readonly Meeting[]): TimeMap {
    if (!points.length) return TimeMap.identity;
    for (let i = 1; i < points.length; i++)
      if (!(points[i].from > points[i - 1].from && points[i].to > points[i - 1].to))
        throw new RangeError(`a time map must rise: point ${i} does not`);
    return new TimeMap(points.map(p => ({ ...p })));
  }

  forward(t: Seconds): Seconds {
    return convert(
      this.points,
      t,
      p => p.from,
      p => p.to,
    );
  }

  backward(t: Seconds): Seconds {
    return convert(
      this.points,
      t,
      p => p.to,
      p => p.from,
    );
  }

  /** The map that does this one, then the other. */
  then(next: TimeMap): TimeMap {
    // a shift bends nowhere: it gives the other no point of its own
    if (this.points.length === 1) return new TimeMap(next.points.map(p => ({ from: this.backward(p.from), to: p.to })));
    if (next.points.length === 1) return new TimeMap(this.points.map(p => ({ from: p.from, to: next.forward(p.to) })));
    const froms = [...this.points.map(p => p.from), ...next.points.map(p => this.backward(p.from))].sort(
      (a, b) => a - b,
    );
    const points: Meeting[] = [];
    for (const from of froms) {
      const to = next.forward(this.forward(from));
      const last = points[points.length - 1];
      if (!last || (from > last.from + 1e-9 && to > last.to + 1e-9)) points.push({ from, to });
    }
    return new TimeMap(points);
  }

  invert(): TimeMap {
    return new TimeMap(this.points.map(p => ({ from: p.to, to: p.from })));
  }

  toJSON(): Meeting[] {
    return this.points.map(p => ({ ...p }));
  }
}

function convert(
  points: readonly Meeting[],
  t: Seconds,
  a: (p: Meeting) => Seconds,
  b: (p: Meeting) => Seconds,
): Seconds {
  const n = points.length;
  if (n === 1) return t - a(points[0]) + b(points[0]);
  let low = 0;
  let high = n - 2;
  while (low < high) {
    const mid = (low + high + 1) >> 1;
    if (a(points[mid]) <= t) low = mid;
    else high = mid - 1;
  }
  const p = points[low];
  const q = points[low + 1];
  // beyond the ends time runs at its natural speed
  if (t < a(p)) return b(p) + (t - a(p));
  if (t > a(q)) return b(q) + (t - a(q));
  return b(p) + ((t - a(p)) * (b(q) - b(p))) / (a(q) - a(p));
}
