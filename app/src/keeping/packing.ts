/** Samples as storage holds them: as few bytes as bring every one of them back to the bit. */

/** One channel: whole numbers of 16 or 24 bits where all its samples are such, else 32-bit floats; little-endian. */
export interface Packed {
  bits: 16 | 24 | 32;
  /** Outside the page's memory until it is read. */
  samples: Blob;
}

/** What 24-bit samples are counted in. */
const STEPS = 2 ** 23;
/** Samples that are unpacked at once. */
const PIECE = 2 ** 19;

export const packed = (samples: Float32Array): Packed => {
  const bits = bitsOf(samples);
  return { bits, samples: new Blob([bytesOf(samples, bits)]) };
};

/** How many bits hold every sample. */
function bitsOf(samples: Float32Array): Packed['bits'] {
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

function bytesOf(samples: Float32Array, bits: Packed['bits']): ArrayBufferView<ArrayBuffer> {
  if (bits === 16) return numbersOf(samples);
  if (bits === 24) return tripletsOf(samples);
  return samples.buffer instanceof ArrayBuffer ? (samples as Float32Array<ArrayBuffer>) : samples.slice();
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

/** The samples, in shared memory, read piece by piece: no copy of all of them comes in between. */
export async function unpacked({ bits, samples }: Packed): Promise<Float32Array> {
  const width = bits / 8;
  const out = new Float32Array(new SharedArrayBuffer((4 * samples.size) / width));
  for (let at = 0; at < out.length; at += PIECE) {
    const bytes = await samples.slice(width * at, width * (at + PIECE)).arrayBuffer();
    const into = out.subarray(at, at + PIECE);
    if (bits === 32) into.set(new Float32Array(bytes));
    else if (bits === 16) spread(new Int16Array(bytes), into);
    else spread24(new Uint8Array(bytes), into);
  }
  return out;
}

function spread(numbers: Int16Array, into: Float32Array): void {
  for (let i = 0; i < into.length; i++) into[i] = numbers[i] / 32768;
}

function spread24(bytes: Uint8Array, into: Float32Array): void {
  for (let i = 0, o = 0; i < into.length; i++, o += 3)
    into[i] = ((bytes[o] << 8) | (bytes[o + 1] << 16) | (bytes[o + 2] << 24)) / 2 ** 31;
}
