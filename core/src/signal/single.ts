import { SINGLE_CODE } from './single-code';
import { runOn } from './wasm';

/**
 * Memory and functions in single precision (core/wasm/single.as.ts): what looks at a sound needs no more. Four numbers go through at a
 * time, and the same bits come out on every machine.
 */

export interface Functions {
  pair(a: number, b: number, window: number, n: number, out: number): void;
  first(x: number, y: number, m: number, w: number): void;
  four(x: number, y: number, m: number, s: number, w: number): void;
  two(x: number, y: number, s: number): void;
  powers(z: number, n: number, count: number, roots: number, a: number, b: number): void;
  mirrored(a: number, b: number, n: number, out: number): void;
  similarity(x: number, n: number, r: number, size: number, from: number, to: number, out: number): void;
  climb(x: number, count: number, centre: number, length: number, lag: number, steps: number, out: number): number;
  correlations(x: number, count: number, centre: number, length: number, from: number, to: number, out: number): void;
  match(
    x: number,
    count: number,
    centre: number,
    length: number,
    near: number,
    spread: number,
    coarse: number,
    price: number,
    steps: number,
    out: number,
  ): number;
  phasor(x: number, n: number, c: number, s: number, dc: number, ds: number, ec: number, es: number, out: number): void;
  chain(worth: number, periods: number, n: number, spread: number, price: number, score: number, from: number): void;
  autocorrelation(x: number, window: number, n: number, highest: number, frame: number, out: number): void;
  filtered(x: number, taps: number, count: number, n: number, out: number): void;
  apart(x: number, n: number, even: number, odd: number): void;
  distances(x: number, y: number, dimensions: number, n: number, out: number): void;
  wholes(x: number, n: number): number;
  counted(x: number, n: number, steps: number, out: number): void;
  differences(x: number, n: number, out: number): void;
  widths(x: number, groups: number, out: number): number;
  packed(x: number, widths: number, groups: number, out: number): void;
  unpacked(
    words: number,
    widths: number,
    groups: number,
    order: number,
    before: number,
    step: number,
    out: number,
  ): void;
  wayRow(
    here: number,
    before: number,
    quiet: number,
    rows: number,
    lo: number,
    hi: number,
    lo1: number,
    hi1: number,
    lo2: number,
    hi2: number,
    quietHere: number,
    first: number,
    prices: number,
    out: number,
  ): void;
  comb(
    x: number,
    zero: number,
    table: number,
    before: number,
    stepBefore: number,
    after: number,
    stepAfter: number,
    first: number,
    n: number,
    out: number,
  ): void;
  folded(a: number, b: number, window: number, n: number, out: number): void;
  harmonics(
    z: number,
    n: number,
    gainA: number,
    gainB: number,
    least: number,
    a: number,
    b: number,
    step: number,
  ): void;
  scaled(x: number, n: number, gain: number, out: number): void;
  beyond(z: number, n: number, delay: number, a: number, b: number, step: number): void;
  spectrum(
    h: number,
    step: number,
    apart: number,
    top: number,
    lowest: number,
    delay: number,
    scale: number,
    fade: number,
    n: number,
    size: number,
    re: number,
    im: number,
  ): void;
  joined(ar: number, ai: number, br: number, bi: number, count: number, n: number, z: number): void;
  largest(x: number, n: number): number;
  added(x: number, taps: number, n: number, out: number): void;
  activated(
    spectrum: number,
    model: number,
    bins: number,
    now: number,
    count: number,
    firsts: number,
    runs: number,
    amplitudes: number,
    active: number,
    rounds: number,
    least: number,
    settled: number,
    hardly: number,
  ): void;
  biquad(x: number, n: number, c: number, out: number): void;
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
}

export const BYTES = 4;
/** Numbers beyond its end that a place may be read or written by, for they go in fours. */
const SPARE = 8;

/** Numbers in memory: where they lie, and a view of them. */
export interface Place {
  at: number;
  values: Float32Array;
}

/** Places of given lengths in one memory, and the functions at work on it. */
export function placesFor<Name extends string>(
  lengths: Record<Name, number>,
): Record<Name, Place> & { run: Functions } {
  const names = Object.keys(lengths) as Name[];
  const room = (name: Name) => Math.ceil((lengths[name] + SPARE) / 4) * 4 * BYTES;
  const { functions, buffer } = runOn<Functions>(
    SINGLE_CODE,
    names.reduce((sum, name) => sum + room(name), 0),
  );
  let at = 0;
  const places = {} as Record<Name, Place>;
  for (const name of names) {
    places[name] = { at, values: new Float32Array(buffer, at, room(name) / BYTES) };
    at += room(name);
  }
  return { ...places, run: functions };
}
