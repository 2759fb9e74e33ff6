import { packed, unpacked } from './packing';

const noise = (length: number, of: (random: number) => number) =>
  Float32Array.from({ length }, () => of(Math.random()));
const whole = (bits: number) => (random: number) => Math.floor((random - 0.5) * 2 ** bits) / 2 ** (bits - 1);
// longer than what is unpacked at once, and by an odd number
const LONG = 2 ** 19 + 12345;

const bytes = (x: Float32Array) => new Uint8Array(x.buffer, x.byteOffset, x.byteLength);
async function comesBack(samples: Float32Array): Promise<number> {
  const small = packed(samples);
  const back = await unpacked(small);
  expect(back.buffer).toBeInstanceOf(SharedArrayBuffer);
  expect(Buffer.compare(bytes(back), bytes(samples))).toBe(0);
  expect(small.samples.size).toBe((samples.length * small.bits) / 8);
  return small.bits;
}

it.each([
  ['16 bits', whole(16), 16],
  ['24 bits', whole(24), 24],
  ['floats', (random: number) => random - 0.5, 32],
] as const)('brings %s back to the bit, in no more room than they need', async (_, of, bits) => {
  expect(await comesBack(noise(LONG, of))).toBe(bits);
});

it('leaves what whole numbers cannot tell as it is', async () => {
  expect(await comesBack(Float32Array.of(-1, 0, 0.5, 32767 / 32768))).toBe(16);
  expect(await comesBack(Float32Array.of(-1, 2 ** -23, 1 - 2 ** -23))).toBe(24);
  // a step over the largest; minus zero; less than a step; far too loud; nothing a recording should hold
  for (const odd of [1, -0, 2 ** -24, -1 - 2 ** -22, 300, 1e30, NaN, Infinity])
    expect(await comesBack(Float32Array.of(0.5, odd))).toBe(32);
  expect(await comesBack(new Float32Array(0))).toBe(16);
});

it('packs what lies in shared memory, or in the middle of a larger array', async () => {
  const all = new Float32Array(new SharedArrayBuffer(4000));
  all.set(noise(1000, Math.sin));
  expect(await comesBack(all)).toBe(32);
  expect(await comesBack(noise(1000, whole(16)).subarray(100, 900))).toBe(16);
  expect(await comesBack(noise(1000, Math.sin).subarray(100, 900))).toBe(32);
});
