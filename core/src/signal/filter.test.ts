import { halveRate, highPass } from './filter';

const RATE = 48000;
const tone = (hz: number, n = 9600, rate = RATE) =>
  Float32Array.from({ length: n }, (_, i) => Math.sin((2 * Math.PI * hz * i) / rate));
/** Level in dB over the middle of it. */
const levelOf = (x: Float32Array) => {
  const body = x.subarray(x.length >> 2, (3 * x.length) >> 2);
  return 10 * Math.log10((2 * body.reduce((s, v) => s + v * v, 0)) / body.length + 1e-20);
};

describe('the high-pass', () => {
  test('keeps what is well above its corner, halves power at it, and takes rumble away', () => {
    expect(Math.abs(levelOf(highPass(tone(1000), RATE, 45)))).toBeLessThan(0.05);
    expect(levelOf(highPass(tone(45, 96000), RATE, 45))).toBeCloseTo(-3, 0);
    expect(levelOf(highPass(tone(10, 96000), RATE, 45))).toBeLessThan(-24);
  });

  test('leaves the given samples alone', () => {
    const x = tone(100);
    const before = x.slice();
    highPass(x, RATE, 45);
    expect(x).toEqual(before);
  });
});

describe('halving the rate', () => {
  test('keeps the voice in place: sample i is centred at sample 2i', () => {
    for (const hz of [100, 1000, 5000]) {
      const y = halveRate(tone(hz));
      const want = tone(hz, y.length, RATE / 2);
      for (let i = 50; i < y.length - 50; i += 13) expect(Math.abs(y[i] - want[i])).toBeLessThan(0.004);
    }
  });

  test('folds nothing back that is heard', () => {
    expect(levelOf(halveRate(tone(15000)))).toBeLessThan(-45);
    expect(levelOf(halveRate(tone(20000)))).toBeLessThan(-45);
  });

  test('passes a constant on, also near the ends but for the fade, and takes any length', () => {
    const y = halveRate(new Float32Array(300).fill(0.5));
    expect(y).toHaveLength(150);
    for (let i = 14; i < 136; i++) expect(y[i]).toBeCloseTo(0.5, 4);
    for (const n of [0, 1, 2, 7, 49]) expect(halveRate(new Float32Array(n))).toHaveLength(n >> 1);
  });
});
