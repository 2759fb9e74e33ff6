import { seededRandom } from '../signal/random';
import { findClicks, interpolate } from './clicks';

const rate = 48000;
const seconds = 4;
const random = seededRandom(3);
const sungAt = (t: number) => t % 1 > 0.2;
/** A buzzing voice with rests, and a little noise. */
const voice = Float32Array.from({ length: rate * seconds }, (_, i) => {
  const t = i / rate;
  const noise = (random.uniform() - 0.5) * 0.0006;
  if (!sungAt(t)) return noise;
  const edge = Math.min(1, ((t % 1) - 0.2) / 0.03, (1 - (t % 1)) / 0.03);
  let s = 0;
  for (let h = 1; h < 18; h++) s += Math.sin(2 * Math.PI * 180 * h * t) / h;
  return 0.12 * edge * s + noise;
});
const f0 = Float32Array.from({ length: seconds * 200 }, (_, k) => (sungAt(k * 0.005) ? 180 : 0));
const places = [0.1, 0.5, 1.08, 1.63, 2.4, 3.12, 3.55];
const clicked = voice.slice();
for (const t of places)
  for (let i = 0; i < 40; i++)
    clicked[Math.round(t * rate) + i] += (sungAt(t) ? 0.25 : 0.02) * Math.exp(-i / 8) * Math.cos(i * 1.9);

test('clicks are found in a voice and beside it, and nothing else', () => {
  expect(findClicks(voice, rate, f0, 0.005, [])).toEqual([]);
  const found = findClicks(clicked, rate, f0, 0.005, []);
  const near = (t: number) => found.some(c => t > c.start - 0.001 && t < c.end + 0.001);
  expect(places.filter(near).length).toBeGreaterThanOrEqual(6);
  expect(found.length).toBeLessThanOrEqual(places.length);
  // a burst that is a consonant is none
  const t = [{ kind: 'plosive', start: 1.07, end: 1.1 }];
  expect(findClicks(clicked, rate, f0, 0.005, t).some(c => Math.abs(c.start - 1.08) < 0.01)).toBe(false);
});

test('and taken out by what is about them', () => {
  const at = findClicks(clicked, rate, f0, 0.005, []).find(c => Math.abs(c.start - 1.63) < 0.003)!;
  const out = clicked.slice();
  interpolate(out, rate, at);
  const error = (y: Float32Array) => {
    let s = 0;
    for (let i = Math.floor(at.start * rate); i < at.end * rate; i++) s += (y[i] - voice[i]) ** 2;
    return s;
  };
  expect(error(out)).toBeLessThan(error(clicked) / 40);
  expect(out.subarray(0, 1.62 * rate)).toEqual(clicked.subarray(0, 1.62 * rate));
  const half = clicked.slice();
  interpolate(half, rate, at, 0.5);
  expect(Math.sqrt(error(half) / error(clicked))).toBeCloseTo(0.5, 1);
});
