import { SINC8, sincAt, sincPhase } from './sinc';

const RATE = 48000;
const tone = (hz: number) => Float32Array.from({ length: 400 }, (_, i) => Math.sin((2 * Math.PI * hz * i) / RATE));
const trueAt = (hz: number, t: number) => Math.sin((2 * Math.PI * hz * t) / RATE);

test('between samples a tone is read as it would have been sampled there', () => {
  for (const [hz, within] of [
    [440, 0.002],
    [3000, 0.003],
    [9000, 0.02],
  ])
    for (let t = 50; t < 350; t += 7.37) expect(Math.abs(sincAt(tone(hz), t) - trueAt(hz, t))).toBeLessThan(within);
});

test('at a sample it is the sample', () => {
  const x = tone(5000);
  for (const i of [0, 1, 3, 200, 396, 399]) expect(sincAt(x, i)).toBeCloseTo(x[i], 6);
});

test('beyond the array there is silence, and its edge is faded into', () => {
  const x = new Float32Array(100).fill(1);
  expect(sincAt(x, -10)).toBe(0);
  expect(sincAt(x, 120)).toBe(0);
  expect(Math.abs(sincAt(x, -0.5))).toBeLessThan(1);
  expect(sincAt(x, 50.5)).toBeCloseTo(1, 2);
});

test('each phase passes a constant on', () => {
  for (const fraction of [0, 0.2, 0.5, 0.999]) {
    const from = sincPhase(fraction);
    expect(SINC8.subarray(from, from + 8).reduce((s, v) => s + v, 0)).toBeCloseTo(1, 2);
  }
});
