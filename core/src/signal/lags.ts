import { copySamples } from './samples';
import { placesFor } from './single';

/** Room for what is looked at of a sound at first, samples. */
const USUAL = 2048;

/** A lag at which two stretches are most alike, and how alike they are before it, at it and after it. */
export interface Top {
  lag: number;
  y0: number;
  y1: number;
  y2: number;
}

function roomFor(samples: number) {
  return { ...placesFor({ x: samples, tops: 4, found: samples }), samples };
}
/** What is looked at lies here, whoever looks: it is copied each time. */
let places: ReturnType<typeof roomFor> | null = null;

/** Compares stretches of a sound with each other, symmetric about a centre; in single precision. */
export class Lags {
  private centre = 0;
  private count = 0;

  constructor(private readonly x: Float32Array) {}

  /**
   * Climbs from a lag to the nearest top of the normalised square difference 2 r / (e1 + e2) of two stretches; 0 where they reach beyond
   * the sound.
   * @param steps it climbs at most
   * @returns the lag, and what lies before, at and after it
   */
  climb(centre: number, length: number, lag: number, steps: number): Top {
    const { x, run, tops } = this.look(centre, length + lag + steps + 1);
    return topOf(run.climb(x.at, this.count, this.centre, length, lag, steps, tops.at), tops.values);
  }

  /**
   * The top of the correlation r / sqrt(e1 e2) near a lag: the best of those up to `spread` away, `coarse` apart, less a price for the
   * square of what they are off, and up from there.
   * @param near fractional @param steps it climbs at most
   */
  match(
    centre: number,
    length: number,
    near: number,
    spread: number,
    coarse: number,
    price: number,
    steps: number,
  ): Top {
    const { x, run, tops } = this.look(centre, length + Math.ceil(near) + spread + steps + 2);
    const lag = run.match(x.at, this.count, this.centre, length, near, spread, coarse, price, steps, tops.at);
    return topOf(lag, tops.values);
  }

  /** Correlations r / sqrt(e1 e2) of two stretches at the lags from one to another: a number each, good until anybody looks again. */
  correlations(centre: number, length: number, from: number, to: number): Float32Array {
    const { x, found, run } = this.look(centre, length + to);
    run.correlations(x.at, this.count, this.centre, length, from, to, found.at);
    return found.values;
  }

  /** Has what lies about a centre in the places, as far as the sound goes. */
  private look(centre: number, wide: number) {
    const half = (wide >> 1) + 2;
    const from = Math.max(0, centre - half);
    const to = Math.min(this.x.length, centre + half);
    this.count = Math.max(0, to - from);
    this.centre = centre - from;
    if (!places || this.count > places.samples) places = roomFor(Math.max(USUAL, 2 * this.count));
    copySamples(this.x, from, this.count, places.x.values);
    return places;
  }
}

const topOf = (lag: number, [y0, y1, y2]: Float32Array): Top => ({ lag, y0, y1, y2 });
