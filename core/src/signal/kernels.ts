import { SINC8, SINC_TAPS } from './sinc';
import { copySamples, type Samples } from './samples';
import { BYTES, placesFor } from './single';

/**
 * Inner loops over samples that the voice is made by, in single precision (core/wasm): three to ten times as fast as script. A sample comes
 * out the same, to the bit, however many are asked for with it. What they return lies in memory they share: it must be used up before the
 * next is called.
 */

/** Numbers filters may reach before and after what they are asked for, and taps there is room for. */
const AROUND = 64;
const MOST_TAPS = 32;
/** Outputs of a filter that are made in one go. */
const BLOCK = 4096;

function roomOf(size: number) {
  const room = placesFor({ table: SINC8.length, taps: MOST_TAPS, x: size + 2 * AROUND, out: size + 2 * AROUND });
  room.table.values.set(SINC8);
  return { ...room, size };
}

let room: ReturnType<typeof roomOf> | null = null;

function roomFor(size: number): ReturnType<typeof roomOf> {
  if (!room || room.size < size) room = roomOf(Math.max(BLOCK, 2 ** Math.ceil(Math.log2(size))));
  return room;
}

/**
 * What n samples from a first one on differ by from the periods beside them: .5 x - .25 (one before + one after), these read band-limited
 * from fractional places on, at steps of their own; zeros beyond the sound's ends.
 */
export function combAlong(
  x: Samples,
  first: number,
  before: number,
  stepBefore: number,
  after: number,
  stepAfter: number,
  n: number,
): Float32Array {
  const zero = Math.floor(Math.min(before, first)) - SINC_TAPS / 2;
  const end = Math.max(before + n * stepBefore, after + n * stepAfter, first + n);
  const count = Math.ceil(end) + SINC_TAPS / 2 + 2 - zero;
  const { run, table, x: place, out } = roomFor(Math.max(n, count));
  copySamples(x, zero, count, place.values);
  run.comb(place.at, zero, table.at, before, stepBefore, after, stepAfter, first, n, out.at);
  return out.values;
}

/** Reads a sound at n places a sample apart, the first of whose taps is at `from`, band-limited. @param phase offset into SINC8 */
export function readShifted(x: Float32Array, from: number, n: number, phase: number): Float32Array {
  const { run, taps, x: place, out } = roomFor(n + SINC_TAPS);
  copySamples(x, from, n + SINC_TAPS, place.values);
  for (let k = 0; k < SINC_TAPS; k++) taps.values[k] = SINC8[phase + k];
  run.filtered(place.at, taps.at, SINC_TAPS, n, out.at);
  return out.values;
}

/** A half-band low-pass: y[i] = middle x[c] + sum over k of odd[k] (x[c - 2k - 1] + x[c + 2k + 1]) about c = from + i; zeros beyond the ends of x. */
export function halfBandFilter(
  x: Float32Array,
  from: number,
  middle: number,
  odd: Float64Array,
  y: Float32Array,
): void {
  const { run, taps, x: place, out } = roomFor(BLOCK);
  const reach = 2 * odd.length;
  taps.values[0] = middle;
  taps.values.set(odd, 1);
  const at = place.at + reach * BYTES;
  for (let start = 0; start < y.length; start += BLOCK) {
    const n = Math.min(BLOCK, y.length - start);
    copySamples(x, from + start - reach, n + 2 * reach, place.values);
    run.symmetric(at, at - BYTES, at + BYTES, 2, taps.at, odd.length + 1, n, out.at);
    y.set(out.values.subarray(0, n), start);
  }
}
