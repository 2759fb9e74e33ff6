import { floatsOf } from '@essim/core';
import { held, packed, unpacked, type Packed } from './packing';

// longer than what is read at once, and by an odd number
const LONG = 2 ** 20 + 12345;
const noise = (of: (random: number) => number, length = LONG) => Float32Array.from({ length }, () => of(Math.random()));
const whole = (bits: number) => (random: number) => Math.floor((random - 0.5) * 2 ** bits) / 2 ** (bits - 1);

const bytes = (x: Float32Array) => new Uint8Array(x.buffer, x.byteOffset, x.byteLength);
async function comesBack(samples: Float32Array, kept = packed(samples)): Promise<Packed['bits']> {
  const alone = await unpacked(kept);
  expect(alone.buffer).not.toBeInstanceOf(SharedArrayBuffer);
  expect(Buffer.compare(bytes(alone), bytes(samples))).toBe(0);
  const among = await held(kept);
  expect(among.buffer).toBeInstanceOf(SharedArrayBuffer);
  expect(Buffer.compare(bytes(floatsOf(among)), bytes(samples))).toBe(0);
  return kept.bits;
}

it.each([
  ['16 bits', whole(16), 'coded', 2.2],
  ['24 bits', whole(24), 'coded', 3.2],
  ['floats', (random: number) => random - 0.5, 32, 4],
] as const)('brings %s back to the bit, noise even in hardly more room than its bits', async (_, of, form, width) => {
  const samples = noise(of);
  expect(await comesBack(samples)).toBe(form);
  expect(packed(samples).samples.size).toBeLessThanOrEqual(width * samples.length);
});

it('packs what lies in shared memory, or in the middle of a larger array', async () => {
  const all = new Float32Array(new SharedArrayBuffer(4000));
  all.set(noise(Math.sin, 1000));
  expect(await comesBack(all)).toBe(32);
  expect(await comesBack(noise(whole(16), 1000).subarray(100, 900))).toBe('coded');
  expect(await comesBack(noise(Math.sin, 1000).subarray(100, 900))).toBe(32);
  expect(await comesBack(new Float32Array(0))).toBe('coded');
});

it.each([16, 24] as const)('reads what an older Essim kept as plain numbers of %d bits', async bits => {
  const samples = noise(whole(bits));
  const plain = new Uint8Array((samples.length * bits) / 8);
  samples.forEach((v, i) => {
    const number = v * 2 ** (bits - 1);
    for (let b = 0; b < bits / 8; b++) plain[(i * bits) / 8 + b] = number >> (8 * b);
  });
  expect(await comesBack(samples, { bits, samples: new Blob([plain]) })).toBe(bits);
});

it('what is damaged is no recording', async () => {
  const { samples } = packed(noise(whole(24), 5000));
  for (const kept of [samples.slice(0, -4), samples.slice(4), new Blob([samples, samples]), samples.slice(0, -1)])
    for (const load of [held, unpacked])
      await expect(load({ bits: 'coded', samples: kept })).rejects.toThrow(RangeError);
});
