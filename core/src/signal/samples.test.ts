import fc from 'fast-check';
import { coded, codedIn } from './coded';
import { seededRandom } from './random';
import { copySamples, floatsOf, isFloats, lengthOf, packSamples } from './samples';

const { uniform: random } = seededRandom(7);
const sound = (length: number, bits: number) =>
  Float32Array.from({ length }, () =>
    bits === 32 ? random() - 0.5 : Math.floor((random() - 0.5) * 2 ** bits) / 2 ** (bits - 1),
  );
const same = (a: Float32Array, b: Float32Array) => a.length === b.length && a.every((v, i) => Object.is(v, b[i]));

describe.each([16, 24, 32] as const)('samples of %d bits', bits => {
  const x = sound(5003, bits);
  const held = packSamples(x);

  it('come back to the bit', () => {
    expect(isFloats(held)).toBe(bits === 32);
    expect(lengthOf(held)).toBe(5003);
    expect(same(floatsOf(held), x)).toBe(true);
    expect(same(floatsOf(held, 101, 4902), x.subarray(101, 4902))).toBe(true);
  });

  it.each([
    [-7, 20],
    [4990, 30],
    [-50, 40],
    [5003, 9],
    [-3, 5010],
    [400, 0],
    [1023, 2],
    [1024, 1024],
    [4096, 907],
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
  const whole = (...x: number[]) => coded(Float32Array.from(x))?.[1];
  expect(whole(-1, 0, 0.5, 32767 / 32768)).toBe(256);
  expect(whole(-1, 2 ** -23, 1 - 2 ** -23)).toBe(1);
  // a step over the largest; minus zero; less than a step; far too loud; nothing a recording should hold
  for (const odd of [1, -0, 2 ** -24, -1 - 2 ** -22, 300, 1e30, NaN, Infinity]) expect(whole(0.5, odd)).toBeUndefined();
  expect(whole()).toBe(256);
});

it('any numbers come back, in whatever pieces they are asked for', () => {
  const loudest = 2 ** 23 - 1;
  // what is easy to foretell, what is not, and what is as far from the one before as can be
  const kinds: ((i: number, before: number) => number)[] = [
    () => 0,
    () => Math.floor((random() - 0.5) * 2 ** 24),
    i => (i % 2 ? loudest : -loudest - 1),
    i => Math.round(loudest * Math.sin(i / 40)),
    (_, before) => Math.max(-loudest, Math.min(loudest, before + Math.floor((random() - 0.5) * 200))),
    i => (i % 700 ? 3 : loudest),
  ];
  fc.assert(
    fc.property(
      fc.array(fc.tuple(fc.nat(kinds.length - 1), fc.nat(1500)), { maxLength: 6 }),
      fc.array(fc.tuple(fc.nat(9000), fc.nat(3000)), { maxLength: 20 }),
      (parts, asked) => {
        const numbers: number[] = [];
        for (const [kind, n] of parts)
          for (let i = 0; i < n; i++) numbers.push(kinds[kind](i, numbers[numbers.length - 1] ?? 0) + 0);
        const x = Float32Array.from(numbers, v => v / 2 ** 23);
        const held = codedIn(coded(x)!);
        expect(same(floatsOf(held), x)).toBe(true);
        for (const [from, n] of asked) {
          const to = new Float32Array(n);
          copySamples(held, from, n, to);
          expect(
            same(
              to,
              Float32Array.from({ length: n }, (_, i) => x[from + i] ?? 0),
            ),
          ).toBe(true);
        }
      },
    ),
    { numRuns: 60 },
  );
});

it('silence and what is smooth take little', () => {
  const size = (f: (i: number) => number) =>
    coded(Float32Array.from({ length: 48000 }, (_, i) => f(i)))!.byteLength / 48000;
  expect(size(() => 0)).toBeLessThan(0.02);
  expect(size(i => Math.round(2 ** 20 * Math.sin(i / 30)) / 2 ** 23)).toBeLessThan(0.6);
});

it('words that are no recording are refused, or read to their end', () => {
  const whole = coded(sound(3000, 24))!;
  const broken = fc.array(fc.tuple(fc.nat(whole.length - 1), fc.nat(2 ** 32 - 1)), { minLength: 1, maxLength: 4 });
  fc.assert(
    fc.property(broken, fc.nat(whole.length), (changes, cut) => {
      const words = whole.slice(0, cut > whole.length / 2 ? whole.length : cut);
      for (const [at, to] of changes) if (at < words.length) words[at] = to;
      try {
        expect(floatsOf(codedIn(words)).every(Number.isFinite)).toBe(true);
      } catch (error) {
        expect(error).toBeInstanceOf(RangeError);
      }
    }),
  );
});
