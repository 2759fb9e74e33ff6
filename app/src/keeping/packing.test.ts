import { floatsOf } from '@essim/core';
import { held, packed, unpacked } from './packing';

// longer than what is read at once, and by an odd number
const LONG = 2 ** 20 + 12345;
const noise = (of: (random: number) => number, length = LONG) => Float32Array.from({ length }, () => of(Math.random()));
const whole = (bits: number) => (random: number) => Math.floor((random - 0.5) * 2 ** bits) / 2 ** (bits - 1);

const bytes = (x: Float32Array) => new Uint8Array(x.buffer, x.byteOffset, x.byteLength);
async function comesBack(samples: Float32Array): Promise<number> {
  const small = packed(samples);
  expect(small.samples.size).toBe((samples.length * small.bits) / 8);
  const alone = await unpacked(small);
  expect(alone.buffer).not.toBeInstanceOf(SharedArrayBuffer);
  expect(Buffer.compare(bytes(alone), bytes(samples))).toBe(0);
  const among = await held(small);
  expect(among.buffer).toBeInstanceOf(SharedArrayBuffer);
  expect(among.byteLength).toBe(small.samples.size);
  expect(Buffer.compare(bytes(floatsOf(among)), bytes(samples))).toBe(0);
  return small.bits;
}

it.each([
  ['16 bits', whole(16), 16],
  ['24 bits', whole(24), 24],
  ['floats', (random: number) => random - 0.5, 32],
] as const)('brings %s back to the bit, in no more room than they need', async (_, of, bits) => {
  expect(await comesBack(noise(of))).toBe(bits);
});

it('packs what lies in shared memory, or in the middle of a larger array', async () => {
  const all = new Float32Array(new SharedArrayBuffer(4000));
  all.set(noise(Math.sin, 1000));
  expect(await comesBack(all)).toBe(32);
  expect(await comesBack(noise(whole(16), 1000).subarray(100, 900))).toBe(16);
  expect(await comesBack(noise(Math.sin, 1000).subarray(100, 900))).toBe(32);
  expect(await comesBack(new Float32Array(0))).toBe(16);
});
