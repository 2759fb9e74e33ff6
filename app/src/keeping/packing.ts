import { bitsEach, floatsOf, packSamples, samplesIn, type SampleBits, type Samples } from '@essim/core';

/** Samples as storage holds them: the bytes that hold them in memory too. */

/** One channel. */
export interface Packed {
  bits: SampleBits;
  /** Outside the page's memory until it is read. */
  samples: Blob;
}

/** Bytes that are read at once: whole samples of whatever width. */
const PIECE = 3 * 2 ** 19;

export const packed = (samples: Float32Array): Packed => stored(packSamples(samples));

/** @param held as they are held */
export function stored(held: Samples): Packed {
  const own = held.buffer instanceof ArrayBuffer ? held : held.slice();
  return { bits: bitsEach(held), samples: new Blob([own as ArrayBufferView<ArrayBuffer>]) };
}

/** The samples as they are held, in shared memory. */
export const held = ({ bits, samples }: Packed): Promise<Samples> =>
  read(samples, new Uint8Array(new SharedArrayBuffer(samples.size))).then(bytes => samplesIn(bytes, bits));

/** The samples as floats, in memory of their own. */
export const unpacked = ({ bits, samples }: Packed): Promise<Float32Array> =>
  read(samples, new Uint8Array(samples.size)).then(bytes => floatsOf(samplesIn(bytes, bits)));

/** Piece by piece: no copy of all of them comes in between. */
async function read(from: Blob, into: Uint8Array): Promise<Uint8Array> {
  for (let at = 0; at < into.length; at += PIECE)
    into.set(new Uint8Array(await from.slice(at, at + PIECE).arrayBuffer()), at);
  return into;
}
