import { quantile } from '../signal/statistics';
import type { Decibels } from '../units';

/** What a follower's loudness leans to. */
export interface LevelLeanTo {
  /** Lead's loudness for each follower frame, dB; NaN where it is not sung or nothing belongs there. */
  lead: Float64Array;
  /** 0..100. */
  amount: number;
}

/** Loudness is looked at over so many frames either way: phrasing, not the shape of a sound. */
const SMOOTH = 20;
/** What lies further under the loudest moment of so many frames either way is the end of a sound, not its loudness. */
const HEARD: Decibels = 15;
const ABOUT = 60;
/** Most that is turned up or down. */
const MOST_UP: Decibels = 6;
const MOST_DOWN: Decibels = 9;
/** Across so many frames without a counterpart the gain goes straight over: consonants and short rests. */
const BRIDGED = 60;
/** In a longer rest, and in words of its own, it goes back to nothing within so many. */
const LETTING_GO = 30;

/**
 * Decibels to add to a follower so that it swells and fades as its lead does. How loud it is on the whole stays its own: the middle of
 * the difference between the two is not taken away. Only moments that both sing are compared; no curve has a step.
 * @param own the follower's loudness, dB a frame @param voiced 1 where it is sung
 * @returns dB a frame, as long as own
 */
export function levelLeanDb(
  own: ArrayLike<Decibels>,
  voiced: ArrayLike<number>,
  { lead, amount }: LevelLeanTo,
): Float32Array {
  const n = own.length;
  const share = Math.max(0, Math.min(1, amount / 100));
  const loudest = slidingMaximum(
    Float64Array.from({ length: n }, (_, k) => (voiced[k] ? own[k] : -Infinity)),
    ABOUT,
  );
  const both = Uint8Array.from({ length: n }, (_, k) =>
    voiced[k] && own[k] >= loudest[k] - HEARD && lead[k] > -100 ? 1 : 0,
  );
  const power = (db: ArrayLike<Decibels>) => Float64Array.from(both, (b, k) => (b ? 10 ** (db[k] / 10) : NaN));
  const [mine, theirs] = [smoothed(power(own), SMOOTH), smoothed(power(lead), SMOOTH)];
  const apart = mine.map((v, k) => 10 * Math.log10(theirs[k] / v));
  const known = apart.filter(v => !Number.isNaN(v));
  if (!share || !known.length) return new Float32Array(n);
  const usual = quantile(known, 0.5);
  const wanted = apart.map(v => share * Math.max(-MOST_DOWN, Math.min(MOST_UP, v - usual)));
  // once more, so that where notes meet and limits begin nothing bends at once
  return Float32Array.from(smoothed(bridged(wanted), SMOOTH / 2));
}

/** The largest of each number's neighbours, itself included, up to so many away. In one pass: what may yet be largest waits in order. */
function slidingMaximum(x: Float64Array, reach: number): Float64Array {
  const out = new Float64Array(x.length);
  const waiting = new Int32Array(x.length);
  let [first, end] = [0, 0];
  for (let k = 0; k < x.length + reach; k++) {
    if (k < x.length) {
      while (end > first && x[waiting[end - 1]] <= x[k]) end--;
      waiting[end++] = k;
    }
    const centre = k - reach;
    if (centre < 0) continue;
    while (waiting[first] < centre - reach) first++;
    out[centre] = x[waiting[first]];
  }
  return out;
}

/** Means over Hann-weighted neighbours that are known; NaN stays NaN. */
function smoothed(x: Float64Array, reach: number): Float64Array {
  const weights = Float64Array.from({ length: reach + 1 }, (_, d) => 0.5 + 0.5 * Math.cos((Math.PI * d) / (reach + 1)));
  return x.map((own, k) => {
    if (Number.isNaN(own)) return NaN;
    let sum = 0;
    let weight = 0;
    for (let d = -reach; d <= reach; d++) {
      const v = x[k + d];
      if (v === undefined || Number.isNaN(v)) continue;
      const w = weights[Math.abs(d)];
      sum += w * v;
      weight += w;
    }
    return sum / weight;
  });
}

/** Fills what is not known: straight across where it is short, else back to nothing on either side. */
function bridged(x: Float64Array): Float64Array {
  const out = x.slice();
  const n = x.length;
  for (let from = 0; from < n;) {
    if (!Number.isNaN(x[from])) {
      from++;
      continue;
    }
    let to = from;
    while (to < n && Number.isNaN(x[to])) to++;
    const before = from > 0 ? x[from - 1] : 0;
    const after = to < n ? x[to] : 0;
    const short = from > 0 && to < n && to - from <= BRIDGED;
    for (let k = from; k < to; k++)
      out[k] = short
        ? before + ((after - before) * (k - from + 1)) / (to - from + 1)
        : before * Math.max(0, 1 - (k - from + 1) / LETTING_GO) + after * Math.max(0, 1 - (to - k) / LETTING_GO);
    from = to;
  }
  return out;
}
