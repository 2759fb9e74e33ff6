import { codedIn, floatsOf, isFloats, packSamples, type Samples } from '@essim/core';
import { shared } from '../shared-memory';

/** Samples as storage holds them: the bytes that hold them in memory too. */

/** One channel. */
export interface Packed {
  /** What its bytes are: numbers coded without loss, or floats; in rows from before these were coded, numbers of 16 or 24 bits as they are. */
  bits: 'coded' | 16 | 24 | 32;
  /** Outside the page's memory until it is read. */
  samples: Blob;
}

/** Bytes that are read at once: whole samples of whatever width. */
const PIECE = 3 * 2 ** 19;

export const packed = (samples: Float32Array): Packed => stored(packSamples(samples));

/** @param held as they are held */
export function stored(held: Samples): Packed {
  const own = held.buffer instanceof ArrayBuffer ? held : held.slice();
  return { bits: isFloats(held) ? 32 : 'coded', samples: new Blob([own as ArrayBufferView<ArrayBuffer>]) };
}

/** The samples as they are held, in shared memory. */
export async function held({ bits, samples }: Packed): Promise<Samples> {
  if (bits === 16 || bits === 24) return shared(packSamples(await numbers(samples, bits)));
  const { buffer } = await read(samples, new Uint8Array(new SharedArrayBuffer(samples.size)));
  return bits === 32 ? new Float32Array(buffer) : codedIn(new Int32Array(buffer));
}

/** The samples as floats, in memory of their own. */
export async function unpacked({ bits, samples }: Packed): Promise<Float32Array> {
  if (bits === 16 || bits === 24) return numbers(samples, bits);
  const { buffer } = await read(samples, new Uint8Array(samples.size));
  return bits === 32 ? new Float32Array(buffer) : floatsOf(codedIn(new Int32Array(buffer)));
}

/** Whole numbers as older rows hold them, little-endian. */
async function numbers(from: Blob, bits: 16 | 24): Promise<Float32Array> {
  const width = bits / 8;
  const out = new Float32Array(from.size / width);
  let i = 0;
  for (let at = 0; at < from.size; at += PIECE) {
    const view = new DataView(await from.slice(at, at + PIECE).arrayBuffer());
    for (let b = 0; b < view.byteLength; b += width, i++)
      out[i] =
        bits === 16
          ? view.getInt16(b, true) / 2 ** 15
          : ((view.getInt8(b + 2) << 16) | view.getUint16(b, true)) / 2 ** 23;
  }
  return out;
}

/** Piece by piece: no copy of all of them comes in between. */
async function read<Memory extends ArrayBufferLike>(from: Blob, into: Uint8Array<Memory>): Promise<Uint8Array<Memory>> {
  for (let at = 0; at < into.length; at += PIECE)
    into.set(new Uint8Array(await from.slice(at, at + PIECE).arrayBuffer()), at);
  return into;
}
