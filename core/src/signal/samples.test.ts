import { bitsEach, copySamples, floatsOf, lengthOf, packSamples, sampleAt, samplesIn, type Samples } from './samples';
import { seededRandom } from './random';

const { uniform: random } = seededRandom(7);
const sound = (length: number, bits: number) =>
  Float32Array.from({ length }, () =>
    bits === 32 ? random() - 0.5 : Math.floor((random() - 0.5) * 2 ** bits) / 2 ** (bits - 1),
  );
const same = (a: Float32Array, b: Float32Array) => a.length === b.length && a.every((v, i) => Object.is(v, b[i]));

describe.each([16, 24, 32] as const)('samples of %d bits', bits => {
  const x = sound(1003, bits);
  const held = packSamples(x);

  it('take as few bytes as they need, and come back to the bit', () => {
    expect(bitsEach(held)).toBe(bits);
    expect(held.byteLength).toBe((1003 * bits) / 8);
    expect(lengthOf(held)).toBe(1003);
    expect(same(floatsOf(held), x)).toBe(true);
    expect(same(floatsOf(held, 101, 902), x.subarray(101, 902))).toBe(true);
    for (const i of [0, 1, 500, 1002]) expect(sampleAt(held, i)).toBe(x[i]);
  });

  it('are what their bytes are, wherever these lie', () => {
    const bytes = new Uint8Array(held.byteLength + 4);
    bytes.set(new Uint8Array(held.buffer, held.byteOffset, held.byteLength), 4);
    const again: Samples = samplesIn(bytes.subarray(4), bits);
    expect(bitsEach(again)).toBe(bits);
    expect(same(floatsOf(again), x)).toBe(true);
    expect(() => samplesIn(new Uint8Array(3 * 4 + 1), bits)).toThrow(RangeError);
  });

  it.each([
    [-7, 20],
    [990, 30],
    [-50, 40],
    [1003, 9],
    [-3, 1010],
    [400, 0],
  ])('are copied from %d on, %d of them, with zeros beyond the ends', (from, n) => {
    const to = new Float32Array(n + 4).fill(9);
    copySamples(held, from, n, to, 2);
    const wanted = Float32Array.from({ length: n }, (_, i) => x[from + i] ?? 0);
    expect(same(to.subarray(2, n + 2), wanted)).toBe(true);
    expect([to[0], to[1], to[n + 2], to[n + 3]]).toEqual([9, 9, 9, 9]);
  });
});

it('floats are looked at where they lie', () => {
  const x = sound(100, 32);
  expect(packSamples(x)).toBe(x);
  expect(floatsOf(x)).toBe(x);
  expect(floatsOf(x, 10, 20).buffer).toBe(x.buffer);
});

it('what whole numbers cannot tell stays as it is', () => {
  const bits = (...x: number[]) => bitsEach(packSamples(Float32Array.from(x)));
  expect(bits(-1, 0, 0.5, 32767 / 32768)).toBe(16);
  expect(bits(-1, 2 ** -23, 1 - 2 ** -23)).toBe(24);
  // a step over the largest; minus zero; less than a step; far too loud; nothing a recording should hold
  for (const odd of [1, -0, 2 ** -24, -1 - 2 ** -22, 300, 1e30, NaN, Infinity]) expect(bits(0.5, odd)).toBe(32);
  expect(bits()).toBe(16);
});
