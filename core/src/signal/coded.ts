import { BYTES, placesFor } from './single';

/**
 * A recording as the whole numbers it is, coded without loss: blocks of 1,024 samples, each the differences of some order (none to the
 * fourth, whichever are smallest: the fixed predictors of Robinson 1994), 128 of them in as many bits as the largest of these needs. No
 * more than its block is looked at to bring a sample back. Recorded voices of 24 bits take half of that, of 16 bits a third.
 *
 * In words of 32 bits: how many samples there are; what they are multiplied by; where each block begins; the blocks. A block: its order
 * and eight widths, a byte each; the differences its first sample goes on from; its numbers, the sign in the lowest bit, packed from the
 * lowest bit of a word on.
 */
export type Coded = Int32Array;

const BLOCK = 1024;
const GROUP = 128;
const GROUPS = BLOCK / GROUP;
const MOST_ORDER = 4;
/** Words before the places of blocks, and of a block before its differences. */
const HEAD = 2;
const BLOCK_HEAD = 3;
/** What samples of 24 bits are counted in. */
const STEPS = 2 ** 23;

const blocksOf = (length: number) => Math.ceil(length / BLOCK);

export const codedLength = (x: Coded): number => x[0];

/** Numbers before a block that its differences reach back to. */
const CONTEXT = 4;

const codingRoom = () =>
  placesFor({ x: BLOCK, now: CONTEXT + BLOCK, next: CONTEXT + BLOCK, widths: GROUPS / BYTES, words: BLOCK });
let coding: ReturnType<typeof codingRoom> | null = null;

/** Bits a recording's samples need, 32 where they are no whole numbers of 24. */
function neededBits(samples: Float32Array): 16 | 24 | 32 {
  const { run, x } = (coding ??= codingRoom());
  let used = 0;
  for (let from = 0; from < samples.length; from += BLOCK) {
    putBlock(samples, from, x.values);
    const whole = run.wholes(x.at, BLOCK);
    if (whole < 0) return 32;
    used |= whole;
  }
  return used & 255 ? 24 : 16;
}

/** A block of samples; past the end a recording goes on as nothing. */
function putBlock(samples: Float32Array, from: number, to: Float32Array): void {
  const n = Math.min(BLOCK, samples.length - from);
  to.set(samples.subarray(from, from + n));
  to.fill(0, n, BLOCK);
}

/** The samples coded; null where they are no whole numbers of 24 bits. */
export function coded(samples: Float32Array): Coded | null {
  const bits = neededBits(samples);
  if (bits === 32) return null;
  const blocks = blocksOf(samples.length);
  const coder = new BlockCoder(samples, 2 ** (bits - 1));
  // how each is told best, then all of it in as much memory as that takes
  const shapes = new Uint8Array(blocks * (1 + GROUPS));
  let words = HEAD + blocks;
  for (let b = 0; b < blocks; b++) words += coder.shape(b, shapes.subarray(b * (1 + GROUPS)));
  const out = new Int32Array(words);
  out[0] = samples.length;
  out[1] = 2 ** (24 - bits);
  let at = HEAD + blocks;
  for (let b = 0; b < blocks; b++) {
    out[HEAD + b] = at;
    at = coder.write(b, shapes.subarray(b * (1 + GROUPS)), out, at);
  }
  return out;
}

/** Tells one block after the other. */
class BlockCoder {
  private readonly room = (coding ??= codingRoom());
  private readonly buffer = this.room.x.values.buffer;
  private readonly widths = new Uint8Array(this.buffer, this.room.widths.at, GROUPS);
  private readonly words = new Int32Array(this.buffer, this.room.words.at, BLOCK);
  /** Numbers of the block or their differences, after those before it; and where the next differences go. */
  private now = new Int32Array(this.buffer, this.room.now.at, CONTEXT + BLOCK);
  private next = new Int32Array(this.buffer, this.room.next.at, CONTEXT + BLOCK);

  constructor(
    private readonly samples: Float32Array,
    private readonly steps: number,
  ) {}

  /** Chooses how a block is told. @param shape gets its order and widths @returns words it takes */
  shape(block: number, shape: Uint8Array): number {
    const { run, widths } = this.room;
    this.look(block);
    let least = Infinity;
    for (let order = 0; order <= MOST_ORDER; order++) {
      if (order) this.differ();
      const bits = run.widths(this.now.byteOffset + CONTEXT * BYTES, GROUPS, widths.at);
      const words = BLOCK_HEAD + order + (bits * GROUP) / 32;
      // once they grow, differences of differences grow more
      if (words >= least) break;
      least = words;
      shape[0] = order;
      shape.set(this.widths, 1);
    }
    return least;
  }

  /** @returns the word after it */
  write(block: number, shape: Uint8Array, out: Coded, at: number): number {
    const { run, widths, words } = this.room;
    this.look(block);
    const order = shape[0];
    let count = 0;
    for (let i = 0; i <= GROUPS; i++) out[at + (i >> 2)] |= shape[i] << (8 * (i & 3));
    for (let g = 0; g < GROUPS; g++) {
      this.widths[g] = shape[1 + g];
      count += (shape[1 + g] * GROUP) / 32;
    }
    at += BLOCK_HEAD;
    for (let k = 0; k < order; k++) {
      out[at++] = this.now[CONTEXT - 1];
      this.differ();
    }
    run.packed(this.now.byteOffset + CONTEXT * BYTES, widths.at, GROUPS, words.at);
    out.set(this.words.subarray(0, count), at);
    return at + count;
  }

  /** Takes a block's numbers, and those before them. */
  private look(block: number): void {
    const { samples, steps, now } = this;
    const { run, x } = this.room;
    const from = block * BLOCK;
    putBlock(samples, from, x.values);
    run.counted(x.at, BLOCK, steps, now.byteOffset + CONTEXT * BYTES);
    for (let k = 1; k <= CONTEXT; k++) now[CONTEXT - k] = block ? samples[from - k] * steps : 0;
  }

  /** Goes on to the differences of what is looked at; with each order one less is known of those before. */
  private differ(): void {
    const { now, next } = this;
    this.room.run.differences(now.byteOffset + CONTEXT * BYTES, BLOCK, next.byteOffset + CONTEXT * BYTES);
    for (let k = 1; k < CONTEXT; k++) next[k] = now[k] - now[k - 1];
    [this.now, this.next] = [next, now];
  }
}

/** Blocks of which parts were read last, for what is read bit by bit: the player's 128 samples, the engine's periods. */
const KEPT = 64;
/** Most words a block takes, the bytes beyond its end that are read with them included. */
const MOST_WORDS = BLOCK + 2;

const decodingRoom = () => {
  const room = placesFor({
    words: MOST_WORDS,
    widths: GROUPS / BYTES,
    before: MOST_ORDER,
    one: BLOCK,
    kept: KEPT * BLOCK,
  });
  const { buffer } = room.one.values;
  return {
    ...room,
    numbers: new Int32Array(buffer, room.words.at, MOST_WORDS),
    whole: new Float32Array(buffer, room.one.at, BLOCK),
    eachWidth: new Uint8Array(buffer, room.widths.at, GROUPS),
    last: new Int32Array(buffer, room.before.at, MOST_ORDER),
    /** Which recording lies in each place, and which block of it. */
    of: new Float64Array(KEPT),
    block: new Float64Array(KEPT).fill(-1),
  };
};
let decoding: ReturnType<typeof decodingRoom> | null = null;
/** Numbers of recordings: a number keeps none of them in memory. */
const numberOf = new WeakMap<Coded, number>();
let known = 0;

/** Brings a block back. @param out its place in the room */
function decode(x: Coded, block: number, out: number): void {
  const { run, numbers, words, eachWidth, widths, last, before } = (decoding ??= decodingRoom());
  let at = x[HEAD + block];
  const order = x[at] & 255;
  let count = 0;
  for (let g = 0; g < GROUPS; g++) {
    const width = (x[at + ((1 + g) >> 2)] >>> (8 * ((1 + g) & 3))) & 255;
    eachWidth[g] = width;
    count += (width * GROUP) / 32;
  }
  at += BLOCK_HEAD;
  for (let k = 0; k < order; k++) last[k] = x[at + k];
  at += order;
  // in a loop: the audio thread makes no objects
  for (let i = 0; i < count; i++) numbers[i] = x[at + i];
  run.unpacked(words.at, widths.at, GROUPS, order, before.at, x[1] / STEPS, out);
}

/** Copies part of a block that was read lately, or will be again. */
function copyPart(x: Coded, block: number, first: number, count: number, to: Float32Array, at: number): void {
  const room = (decoding ??= decodingRoom());
  let number = numberOf.get(x);
  if (number === undefined) numberOf.set(x, (number = ++known));
  // tracks that are played together read the same block of each
  const place = (block + 7 * number) % KEPT;
  if (room.of[place] !== number || room.block[place] !== block) {
    decode(x, block, room.kept.at + place * BLOCK * BYTES);
    room.of[place] = number;
    room.block[place] = block;
  }
  const { values } = room.kept;
  for (let i = 0, from = place * BLOCK + first; i < count; i++, from++) to[at + i] = values[from];
}

/** Copies samples [from, from + n), all of them within the recording. */
export function decodeInto(x: Coded, from: number, n: number, to: Float32Array, at: number): void {
  for (const end = from + n; from < end;) {
    const block = Math.floor(from / BLOCK);
    const first = from - block * BLOCK;
    const count = Math.min(BLOCK - first, end - from);
    if (count === BLOCK) {
      const { one, whole } = (decoding ??= decodingRoom());
      decode(x, block, one.at);
      to.set(whole, at);
    } else copyPart(x, block, first, count, to, at);
    from += count;
    at += count;
  }
}

/** Words that were kept, as a recording. @throws RangeError where they cannot be one */
export function codedIn(words: Int32Array): Coded {
  const blocks = blocksOf(words[0] ?? NaN);
  const whole = words.length >= HEAD && (words[1] === 1 || words[1] === 256) && words.length >= HEAD + blocks;
  if (!whole) throw new RangeError('no recording lies here');
  let at = HEAD + blocks;
  for (let b = 0; b < blocks; b++) {
    if (words[HEAD + b] !== at) throw new RangeError(`block ${b} of the recording is not where it should be`);
    const order = words[at] & 255;
    let bits = 0;
    let widest = 0;
    for (let g = 1; g <= GROUPS; g++) {
      const width = (words[at + (g >> 2)] >>> (8 * (g & 3))) & 255;
      bits += width;
      widest = Math.max(widest, width);
    }
    at += BLOCK_HEAD + order + (bits * GROUP) / 32;
    if (order > MOST_ORDER || widest > 32 || at > words.length)
      throw new RangeError(`block ${b} of the recording is damaged`);
  }
  if (at !== words.length) throw new RangeError('the recording is longer than it says');
  return words;
}
