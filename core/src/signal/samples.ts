/**
 * One channel of sound as it is held: 32-bit floats; or whole numbers of 16 bits; or of 24 bits, three bytes each, little-endian. Plain
 * arrays, so that they can be posted and shared. Whole numbers take half and three quarters of the memory, and bring every sample back
 * to the bit.
 */
export type Samples = Float32Array | Int16Array | Uint8Array;
export type SampleBits = 16 | 24 | 32;

/** Up to so many samples are copied as fast one by one. */
const SHORT = 256;
/** What 24-bit samples are counted in. */
const STEPS = 2 ** 23;

/** Bytes a sample takes. */
const widthOf = (x: Samples): number => (x.BYTES_PER_ELEMENT === 1 ? 3 : x.BYTES_PER_ELEMENT);
const isFloats = (x: Samples): x is Float32Array => x.BYTES_PER_ELEMENT === 4;

/** How many samples they are. */
export const lengthOf = (x: Samples): number => x.byteLength / widthOf(x);

export const bitsEach = (x: Samples): SampleBits => (8 * widthOf(x)) as SampleBits;

/** Bytes as what they hold. @throws RangeError where they are no whole number of samples, or lie where such samples cannot */
export function samplesIn(bytes: Uint8Array, bits: SampleBits): Samples {
  const { buffer, byteOffset, byteLength } = bytes;
  if (byteLength % (bits / 8)) throw new RangeError('the last sample is cut short');
  if (bits === 24) return bytes;
  return bits === 16
    ? new Int16Array(buffer, byteOffset, byteLength / 2)
    : new Float32Array(buffer, byteOffset, byteLength / 4);
}

/** A sample. */
export function sampleAt(x: Samples, i: number): number {
  if (isFloats(x)) return x[i];
  if (x.BYTES_PER_ELEMENT === 2) return x[i] / 32768;
  return ((x[3 * i] << 8) | (x[3 * i + 1] << 16) | (x[3 * i + 2] << 24)) / 2 ** 31;
}

/** Samples [from, to), all within the sound; not to be written, for floats are not copied. */
export function floatsOf(x: Samples, from = 0, to = lengthOf(x)): Float32Array {
  if (isFloats(x)) return from === 0 && to === x.length ? x : x.subarray(from, to);
  const out = new Float32Array(Math.max(0, to - from));
  put(x, from, out.length, out, 0);
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
  if (isFloats(x)) {
    // the audio thread makes no objects
    if (n > SHORT) return to.set(x.subarray(from, from + n), at);
    for (let i = 0; i < n; i++) to[at + i] = x[from + i];
    return;
  }
  if (x.BYTES_PER_ELEMENT === 2) {
    for (let i = 0; i < n; i++) to[at + i] = x[from + i] / 32768;
    return;
  }
  for (let i = 0, o = 3 * from; i < n; i++, o += 3)
    to[at + i] = ((x[o] << 8) | (x[o + 1] << 16) | (x[o + 2] << 24)) / 2 ** 31;
}

/** The same samples in as few bytes as bring every one of them back to the bit; in memory of their own unless they stay floats. */
export function packSamples(samples: Float32Array): Samples {
  const bits = neededBits(samples);
  if (bits === 32) return samples;
  return bits === 16 ? numbersOf(samples) : tripletsOf(samples);
}

function neededBits(samples: Float32Array): SampleBits {
  let used = 0;
  for (let i = 0; i < samples.length; i++) {
    const steps = samples[i] * STEPS;
    const whole = steps | 0;
    // minus zero is told apart: a recording is named by its bytes
    if (whole !== steps || whole >= STEPS || whole < -STEPS || (whole === 0 && 1 / steps < 0)) return 32;
    used |= whole;
  }
  return used & 255 ? 24 : 16;
}

function numbersOf(samples: Float32Array): Int16Array<ArrayBuffer> {
  const out = new Int16Array(samples.length);
  for (let i = 0; i < out.length; i++) out[i] = samples[i] * 32768;
  return out;
}

/** Four samples are three words: bytes one by one take three times as long. */
function tripletsOf(samples: Float32Array): Uint8Array<ArrayBuffer> {
  const words = new Int32Array(3 * Math.ceil(samples.length / 4));
  // past the end there is nothing, which counts as zero
  const steps = (i: number) => (samples[i] * STEPS) | 0;
  for (let i = 0, w = 0; i < samples.length; i += 4, w += 3) {
    const [b, c] = [steps(i + 1), steps(i + 2)];
    words[w] = (steps(i) & 0xffffff) | (b << 24);
    words[w + 1] = ((b >> 8) & 0xffff) | (c << 16);
    words[w + 2] = ((c >> 16) & 0xff) | (steps(i + 3) << 8);
  }
  return new Uint8Array(words.buffer, 0, 3 * samples.length);
}
