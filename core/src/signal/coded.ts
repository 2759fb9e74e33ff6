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

/** Bits a recording's samples need, 32 where they are no whole numbers of 24. */
function neededBits(samples: Float32Array): 16 | 24 | 32 {
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

/** The samples coded; null where they are no whole numbers of 24 bits. */
export function coded(samples: Float32Array): Coded | null {
  const bits = neededBits(samples);
  if (bits === 32) return null;
  const blocks = blocksOf(samples.length);
  const chosen = new BlockCoder(samples, 2 ** (bits - 1));
  // how each is told best, then all of it in as much memory as that takes
  const shapes = new Uint8Array(blocks * (1 + GROUPS));
  let words = HEAD + blocks;
  for (let b = 0; b < blocks; b++) words += chosen.shape(b, shapes.subarray(b * (1 + GROUPS)));
  const out = new Int32Array(words);
  out[0] = samples.length;
  out[1] = 2 ** (24 - bits);
  let at = HEAD + blocks;
  for (let b = 0; b < blocks; b++) {
    out[HEAD + b] = at;
    at = chosen.write(b, shapes.subarray(b * (1 + GROUPS)), out, at);
  }
  return out;
}

/** Differences of blocks. */
class BlockCoder {
  /** Of the block that is looked at, of one order. */
  private readonly numbers = new Int32Array(BLOCK);
  /** Of each order, the one before the block. */
  private readonly before = new Int32Array(MOST_ORDER + 1);
  private readonly widths = new Uint8Array(GROUPS);

  constructor(
    private readonly samples: Float32Array,
    private readonly steps: number,
  ) {}

  /** Chooses how a block is told. @param shape gets its order and widths @returns words it takes */
  shape(block: number, shape: Uint8Array): number {
    this.look(block);
    let least = Infinity;
    for (let order = 0; order <= MOST_ORDER; order++) {
      const bits = order ? this.differ(this.before[order - 1]) : this.measure();
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
    this.look(block);
    const { numbers, before } = this;
    const order = shape[0];
    for (let i = 0; i <= GROUPS; i++) out[at + (i >> 2)] |= shape[i] << (8 * (i & 3));
    at += BLOCK_HEAD;
    for (let k = 0; k < order; k++) {
      out[at++] = before[k];
      this.differ(before[k]);
    }
    for (let g = 0; g < GROUPS; g++) {
      const width = shape[1 + g];
      if (!width) continue;
      const first = g * GROUP;
      let word = 0;
      let low = 0;
      for (let i = first; i < first + GROUP; i++) {
        const number = (numbers[i] << 1) ^ (numbers[i] >> 31);
        word |= number << low;
        low += width;
        if (low < 32) continue;
        out[at++] = word;
        low -= 32;
        word = low ? number >>> (width - low) : 0;
      }
    }
    return at;
  }

  /** Takes a block's numbers, and what came before them; past the end a recording goes on as nothing. */
  private look(block: number): void {
    const { samples, numbers, before, steps } = this;
    const from = block * BLOCK;
    const n = Math.min(BLOCK, samples.length - from);
    for (let i = 0; i < n; i++) numbers[i] = samples[from + i] * steps;
    numbers.fill(0, n);
    for (let k = 0; k <= MOST_ORDER; k++) before[k] = from > k ? samples[from - 1 - k] * steps : 0;
    // the last numbers are turned into the last difference of each order
    for (let order = 1; order <= MOST_ORDER; order++)
      for (let k = MOST_ORDER; k >= order; k--) before[k] = before[k - 1] - before[k];
  }

  /** Goes on to the differences of what is looked at. @returns bits, a group's each number */
  private differ(previous: number): number {
    const { numbers, widths } = this;
    let bits = 0;
    for (let g = 0; g < GROUPS; g++) {
      let used = 0;
      for (let i = g * GROUP; i < (g + 1) * GROUP; i++) {
        const v = numbers[i];
        const d = v - previous;
        previous = v;
        numbers[i] = d;
        used |= (d << 1) ^ (d >> 31);
      }
      widths[g] = 32 - Math.clz32(used);
      bits += widths[g];
    }
    return bits;
  }

  private measure(): number {
    const { numbers, widths } = this;
    let bits = 0;
    for (let g = 0; g < GROUPS; g++) {
      let used = 0;
      for (let i = g * GROUP; i < (g + 1) * GROUP; i++) used |= (numbers[i] << 1) ^ (numbers[i] >> 31);
      widths[g] = 32 - Math.clz32(used);
      bits += widths[g];
    }
    return bits;
  }
}

const numbers = new Int32Array(BLOCK);

/** Brings a block back, of which the first count samples are wanted, at most BLOCK. */
function decode(x: Coded, block: number, count: number, to: Float32Array, at: number): void {
  let word = x[HEAD + block];
  const order = x[word] & 255;
  const shape = word;
  word += BLOCK_HEAD + order;
  for (let g = 0; g * GROUP < count; g++) {
    const width = (x[shape + ((1 + g) >> 2)] >>> (8 * ((1 + g) & 3))) & 255;
    const first = g * GROUP;
    if (width === 0) {
      numbers.fill(0, first, first + GROUP);
      continue;
    }
    const mask = width > 31 ? -1 : (1 << width) - 1;
    let bits = x[word++];
    let low = 0;
    for (let i = first; i < first + GROUP; i++) {
      let v = bits >>> low;
      low += width;
      if (low >= 32) {
        low -= 32;
        if (low || i < first + GROUP - 1) bits = x[word++];
        if (low) v |= bits << (width - low);
      }
      v &= mask;
      numbers[i] = (v >>> 1) ^ -(v & 1);
    }
  }
  for (let k = order - 1; k >= 0; k--) {
    let sum = x[shape + BLOCK_HEAD + k] | 0;
    for (let i = 0; i < count; i++) {
      sum = (sum + numbers[i]) | 0;
      numbers[i] = sum;
    }
  }
  const step = x[1] / STEPS;
  for (let i = 0; i < count; i++) to[at + i] = numbers[i] * step;
}

/** Blocks of which parts were read last, for what is read bit by bit: the player's 128 samples, the engine's periods. */
const KEPT = 64;
const keptBlocks = Array.from({ length: KEPT }, () => new Float32Array(0));
/** Which recording, and which block of it. */
const keptOf = new Float64Array(KEPT);
const keptBlock = new Float64Array(KEPT).fill(-1);
/** Numbers of recordings: a number keeps none of them in memory. */
const numberOf = new WeakMap<Coded, number>();
let known = 0;

function blockOf(x: Coded, block: number): Float32Array {
  let number = numberOf.get(x);
  if (number === undefined) numberOf.set(x, (number = ++known));
  // tracks that are played together read the same block of each
  const slot = (block + 7 * number) % KEPT;
  if (keptOf[slot] !== number || keptBlock[slot] !== block) {
    if (!keptBlocks[slot].length) keptBlocks[slot] = new Float32Array(BLOCK);
    decode(x, block, BLOCK, keptBlocks[slot], 0);
    keptOf[slot] = number;
    keptBlock[slot] = block;
  }
  return keptBlocks[slot];
}

/** Copies samples [from, from + n), all of them within the recording. */
export function decodeInto(x: Coded, from: number, n: number, to: Float32Array, at: number): void {
  for (const end = from + n; from < end;) {
    const block = Math.floor(from / BLOCK);
    const first = from - block * BLOCK;
    const count = Math.min(BLOCK - first, end - from);
    if (count === BLOCK) decode(x, block, BLOCK, to, at);
    else {
      const kept = blockOf(x, block);
      for (let i = 0; i < count; i++) to[at + i] = kept[first + i];
    }
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
    for (let g = 1; g <= GROUPS; g++) bits += (words[at + (g >> 2)] >>> (8 * (g & 3))) & 255;
    at += BLOCK_HEAD + order + (bits * GROUP) / 32;
    if (order > MOST_ORDER || at > words.length) throw new RangeError(`block ${b} of the recording is damaged`);
  }
  if (at !== words.length) throw new RangeError('the recording is longer than it says');
  return words;
}
