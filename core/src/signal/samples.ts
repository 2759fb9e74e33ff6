import { coded, codedLength, decodeInto, type Coded } from './coded';

/**
 * One channel of sound as it is held: 32-bit floats; or, where it is a recording of whole numbers of up to 24 bits, these, coded without
 * loss (`coded.ts`). Plain arrays, so that they can be posted and shared; every sample comes back to the bit.
 */
export type Samples = Float32Array | Coded;

/** Up to so many samples are copied as fast one by one. */
const SHORT = 256;

// by name: what another realm made is no instance of this one's
export const isFloats = (x: Samples): x is Float32Array => x[Symbol.toStringTag] === 'Float32Array';

/** How many samples they are. */
export const lengthOf = (x: Samples): number => (isFloats(x) ? x.length : codedLength(x));

/** Samples [from, to), all within the sound; not to be written, for floats are not copied. */
export function floatsOf(x: Samples, from = 0, to = lengthOf(x)): Float32Array {
  if (isFloats(x)) return from === 0 && to === x.length ? x : x.subarray(from, to);
  const out = new Float32Array(Math.max(0, to - from));
  decodeInto(x, from, out.length, out, 0);
  return out;
}

/** Copies a stretch of a sound; zeros beyond its ends. */
export function copySamples(x: Samples, from: number, n: number, to: Float32Array, at = 0): void {
  const a = Math.max(0, -from);
  const z = Math.min(n, lengthOf(x) - from);
  if (z <= a) return void to.fill(0, at, at + n);
  if (a > 0) to.fill(0, at, at + a);
  put(x, from + a, z - a, to, at + a);
  if (z < n) to.fill(0, at + z, at + n);
}

/** The same of what lies within the sound. */
function put(x: Samples, from: number, n: number, to: Float32Array, at: number): void {
  if (!isFloats(x)) return decodeInto(x, from, n, to, at);
  // the audio thread makes no objects
  if (n > SHORT) return to.set(x.subarray(from, from + n), at);
  for (let i = 0; i < n; i++) to[at + i] = x[from + i];
}

/** The same samples in as little memory as brings every one of them back to the bit; in memory of their own unless they stay floats. */
export const packSamples = (samples: Float32Array): Samples => coded(samples) ?? samples;
