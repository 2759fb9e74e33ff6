import { seededRandom } from '../signal/random';
import { weighPitches } from './fine-pitch';

const FRAMES = 400;
const random = seededRandom(3);
/** A voice with vibrato about A3, Hz a frame, and so many cents of noise on it. */
const moving = (k: number) => 220 * 2 ** ((40 * Math.sin(k / 5)) / 1200);
const line = (cents: (k: number) => number) =>
  Float64Array.from({ length: FRAMES }, (_, k) => moving(k) * 2 ** (cents(k) / 1200));
const still = new Float32Array(FRAMES);
/** Root mean square of what a line is off the truth, cents, but for its ends. */
const off = (hz: ArrayLike<number>) => {
  let sum = 0;
  for (let k = 20; k < FRAMES - 20; k++) sum += (1200 * Math.log2(hz[k] / moving(k))) ** 2;
  return Math.sqrt(sum / (FRAMES - 40));
};
const weighed = (source: Float64Array, wave: Float64Array, colour = still) => {
  const out = new Float32Array(FRAMES);
  weighPitches(out, source, wave, colour);
  return off(out);
};

describe('of two lines of a pitch', () => {
  const noisy = line(() => 12 * random.normal());
  const calm = line(() => random.normal());

  it('the calmer one counts, whichever it is, and vibrato is no noise', () => {
    expect(off(noisy)).toBeGreaterThan(10);
    expect(weighed(noisy, calm)).toBeLessThan(2);
    expect(weighed(calm, noisy)).toBeLessThan(2);
  });

  it('the wave counts less where the vowel is on the move and bends it', () => {
    const bent = line(() => 15);
    expect(weighed(calm, bent)).toBeGreaterThan(5);
    expect(weighed(calm, bent, new Float32Array(FRAMES).fill(12))).toBeLessThan(3);
  });

  it('frames without voice stay as they are, and short runs are weighed too', () => {
    const [source, wave] = [new Float64Array(20), new Float64Array(20)];
    source.fill(220, 5, 9);
    wave.fill(221, 5, 9);
    const out = new Float32Array(20);
    weighPitches(out, source, wave, still);
    expect([out[4], out[9]]).toEqual([0, 0]);
    for (let k = 5; k < 9; k++) {
      expect(out[k]).toBeGreaterThan(220);
      expect(out[k]).toBeLessThan(221);
    }
  });
});
