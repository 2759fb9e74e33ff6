import { KERNELS_CODE } from './kernels-code';
import { SINC8, SINC_TAPS } from './sinc';
import { runOn } from './wasm';

/**
 * Inner loops over samples as WebAssembly (core/wasm): three to ten times as fast as script, with the bits script would give. What they
 * return lies in memory they share: it must be used up before the next is called.
 */

interface Functions {
  along(
    x: number,
    zero: number,
    table: number,
    base: number,
    first: number,
    origin: number,
    step: number,
    n: number,
    out: number,
  ): void;
  shifted(x: number, taps: number, n: number, out: number): void;
  symmetric(
    middle: number,
    left: number,
    right: number,
    step: number,
    taps: number,
    count: number,
    n: number,
    out: number,
  ): void;
}

const DOUBLE = 8;
/** Numbers that filters may reach before and after what they are asked for, and taps there is room for. */
const AROUND = 64;
const MOST_TAPS = 32;
/** Outputs of a filter that are made in one go. */
const BLOCK = 4096;

/** A place for what goes in, one for what comes out, and the tables, in one memory. */
class Room {
  private readonly functions: Functions;
  private readonly tapsAt = SINC8.length * DOUBLE;
  private readonly aAt = this.tapsAt + MOST_TAPS * DOUBLE;
  private readonly outAt: number;
  readonly taps: Float64Array;
  readonly a: Float64Array;
  readonly out: Float64Array;

  /** @param size numbers each place holds, with what lies around them */
  constructor(readonly size: number) {
    const place = (size + 2 * AROUND) * DOUBLE;
    this.outAt = this.aAt + place;
    const { functions, buffer } = runOn<Functions>(KERNELS_CODE, this.outAt + place);
    this.functions = functions;
    new Float64Array(buffer, 0, SINC8.length).set(SINC8);
    this.taps = new Float64Array(buffer, this.tapsAt, MOST_TAPS);
    this.a = new Float64Array(buffer, this.aAt, size + 2 * AROUND);
    this.out = new Float64Array(buffer, this.outAt, size + 2 * AROUND);
  }

  along(zero: number, base: number, first: number, origin: number, step: number, n: number): Float64Array {
    this.functions.along(this.aAt, zero, 0, base, first, origin, step, n, this.outAt);
    return this.out;
  }

  shifted(n: number): Float64Array {
    this.functions.shifted(this.aAt, this.tapsAt, n, this.outAt);
    return this.out;
  }

  /** Of what lies in a. @param at where in it the first middle lies @param step between taps, the first of which lie one beside it */
  symmetric(at: number, step: number, count: number, n: number): void {
    const middle = this.aAt + at * DOUBLE;
    this.functions.symmetric(middle, middle - DOUBLE, middle + DOUBLE, step, this.tapsAt, count, n, this.outAt);
  }
}

let room: Room | null = null;

function roomFor(size: number): Room {
  if (!room || room.size < size) room = new Room(Math.max(BLOCK, 2 ** Math.ceil(Math.log2(size))));
  return room;
}

/** A stretch of x into a place; zeros beyond the ends. */
function load(x: Float32Array, from: number, n: number, place: Float64Array): void {
  if (from >= 0 && from + n <= x.length) for (let i = 0; i < n; i++) place[i] = x[from + i];
  else
    for (let i = 0; i < n; i++) {
      const j = from + i;
      place[i] = j >= 0 && j < x.length ? x[j] : 0;
    }
}

/**
 * Band-limited reading of a sound at n evenly spaced places, base + (first + i - origin) * step, as sincAt() reads one; zeros beyond its
 * ends.
 * @param step above 0
 */
export function readAlong(
  x: Float32Array,
  base: number,
  first: number,
  origin: number,
  step: number,
  n: number,
): Float64Array {
  const zero = Math.floor(base + (first - origin) * step) - SINC_TAPS / 2;
  const count = Math.floor(base + (first + n - 1 - origin) * step) + SINC_TAPS / 2 + 2 - zero;
  const place = roomFor(Math.max(n, count));
  load(x, zero, count, place.a);
  return place.along(zero, base, first, origin, step, n);
}

/** The same at n places a sample apart, the first of whose taps is at `from`. @param phase offset into SINC8 @param gain of the taps */
export function readShifted(x: Float32Array, from: number, n: number, phase: number, gain = 1): Float64Array {
  const place = roomFor(n + SINC_TAPS);
  load(x, from, n + SINC_TAPS, place.a);
  for (let k = 0; k < SINC_TAPS; k++) place.taps[k] = gain * SINC8[phase + k];
  return place.shifted(n);
}

/** A half-band low-pass: y[i] = middle x[c] + sum over k of odd[k] (x[c - 2k - 1] + x[c + 2k + 1]) about c = from + i; zeros beyond the ends of x. */
export function halfBandFilter(
  x: Float32Array,
  from: number,
  middle: number,
  odd: Float64Array,
  y: Float32Array,
): void {
  const place = roomFor(BLOCK + 4);
  const { a, taps, out } = place;
  const reach = 2 * odd.length;
  for (let start = 0; start < y.length; start += BLOCK) {
    const n = Math.min(BLOCK, y.length - start);
    taps[0] = middle;
    taps.set(odd, 1);
    load(x, from + start - reach, n + 2 * reach, a);
    place.symmetric(reach, 2, odd.length + 1, n);
    for (let i = 0; i < n; i++) y[start + i] = out[i];
  }
}
