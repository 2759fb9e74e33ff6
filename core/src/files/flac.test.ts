import { seededRandom } from '../signal/random';
import { packFlac, unpackFlac } from './flac';

const noise = (bits: number, count: number, seed: number) => {
  const random = seededRandom(seed);
  const scale = 2 ** (bits - 1);
  return Float32Array.from({ length: count }, () => (Math.round(random.normal() * scale * 0.2) + 0) / scale);
};

test.each([16, 24])('%i bits come back bit for bit, one channel and two', async bits => {
  for (const count of [1, 4097, 70000])
    for (const width of [1, 2]) {
      const channels = Array.from({ length: width }, (_, c) => noise(bits, count, 5 + c));
      const packed = await packFlac({ sampleRate: 48000, bits, channels });
      const back = await unpackFlac(packed, count);
      expect(back).toMatchObject({ sampleRate: 48000, bits });
      expect(back.channels.length).toBe(width);
      back.channels.forEach((c, i) => expect(c).toEqual(channels[i]));
    }
});

test('what is damaged, no FLAC, or longer than allowed is refused', async () => {
  const packed = await packFlac({ sampleRate: 48000, bits: 16, channels: [noise(16, 20000, 3)] });
  await expect(unpackFlac(packed, 19999)).rejects.toThrow('longer');
  await expect(unpackFlac(new Uint8Array(new TextEncoder().encode('RIFF and so on')), 1e6)).rejects.toThrow();
  const cut = packed.slice(0, packed.length >> 1);
  const whole = await unpackFlac(cut, 1e6).catch(() => null);
  expect(whole === null || whole.channels[0].length < 20000).toBe(true);
});
