import { seededRandom } from '@essim/core';
import { convolved, DEGRADATIONS } from './people-conditions';

const RATE = 44100;
const random = seededRandom(3);
/** Something like a voice: pulses of a wandering pitch, with noise. */
let phase = 0;
const x = Float32Array.from({ length: 4 * RATE }, (_, i) => {
  phase += (180 + 20 * Math.sin(i / 9000)) / RATE;
  return 0.3 * Math.exp(-12 * (phase % 1)) * Math.sin(60 * (phase % 1)) + 0.002 * random.normal();
});

test('a convolution is what its definition says, past a block too', () => {
  const h = Float32Array.from({ length: 300 }, () => random.normal());
  const y = convolved(x.subarray(0, 9000), h);
  for (const at of [0, 1, 299, 725, 4097, 8999]) {
    let sum = 0;
    for (let k = 0; k < h.length && k <= at; k++) sum += h[k] * x[at - k];
    expect(y[at]).toBeCloseTo(sum, 4);
  }
});

// the encoder's packages are of a kind tests do not load
const here = Object.entries(DEGRADATIONS).filter(([name]) => !name.startsWith('MP3'));

test.each(here)('%s leaves the voice in its place, and changes it when it should', async (name, degrade) => {
  const y = await degrade(x, RATE, 5);
  expect(y).toHaveLength(x.length);
  let [best, match] = [0, -Infinity];
  for (let lag = -300; lag <= 300; lag++) {
    let sum = 0;
    for (let i = RATE; i < 3 * RATE; i += 2) sum += x[i] * y[i + lag];
    if (sum > match) [match, best] = [sum, lag];
  }
  // a telephone's filters themselves delay a little
  expect(Math.abs(best)).toBeLessThanOrEqual(name === 'telephone' ? 20 : 1);
  expect(y.every(v => Number.isFinite(v) && Math.abs(v) < 4)).toBe(true);
  const changed = y.reduce((n, v, i) => n + (v === x[i] ? 0 : 1), 0) / x.length;
  expect(changed > 0.05).toBe(name !== 'as recorded');
});
