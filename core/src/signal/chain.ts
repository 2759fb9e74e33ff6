import { placesFor } from './single';

const roomFor = (size: number) => ({ ...placesFor({ worth: size, periods: size, score: size, from: size }), size });
let room: ReturnType<typeof roomFor> | null = null;
/** Places kept room for between calls: a long breath of voice. */
const MOST_KEPT = 2 ** 18;

/**
 * The best chain of places, each about a period after the one before, by dynamic programming: what its places are worth, less a price for
 * every step that is no period, (step / period - 1)^2 times the price. It begins within the first period and a fifth.
 * @param periods at every place, in places @param spread share of the period by which a step may differ from it
 * @param score gets what the best chain that ends at a place is worth
 * @returns for every place the one before it in that chain, -1 where it begins
 */
export function bestChain(
  worth: Float32Array,
  periods: Float32Array,
  spread: number,
  price: number,
  score: Float32Array,
): Int32Array {
  const n = worth.length;
  const places = room && room.size >= n ? room : roomFor(2 ** Math.ceil(Math.log2(n + 1)));
  room = places.size > MOST_KEPT ? null : places;
  places.worth.values.set(worth);
  places.periods.values.set(periods);
  places.run.chain(places.worth.at, places.periods.at, n, spread, price, places.score.at, places.from.at);
  score.set(places.score.values.subarray(0, n));
  return new Int32Array(places.from.values.buffer, places.from.at, n).slice();
}
