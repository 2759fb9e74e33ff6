import { seededRandom } from '../signal/random';
import { midiToHz } from '../units';
import { movement, partialsOf } from './motion';

const RATE = 24000;
/** A tone of eight harmonics whose pitch moves, cents by seconds. */
function tone(midi: number, seconds: number, cents: (t: number) => number): Float32Array {
  let phase = 0;
  return Float32Array.from({ length: seconds * RATE }, (_, i) => {
    phase += (2 * Math.PI * midiToHz(midi + cents(i / RATE) / 100)) / RATE;
    let y = 0;
    for (let h = 1; h <= 8; h++) y += Math.sin(h * phase) / h;
    return 0.1 * y;
  });
}
const added = (a: Float32Array, b: Float32Array) => a.map((v, i) => v + b[i]);
const whole = { start: 0, end: 2 };

describe('how a pitch moves', () => {
  const still = tone(57, 2, () => 0);
  const vibrato = tone(64, 2, t => 30 * Math.sin(2 * Math.PI * 5.5 * t));
  const random = seededRandom(3);
  let drift = 0;
  const unsteady = tone(60, 2, () => (drift = 0.9995 * drift + 0.25 * random.normal()));

  it('is nothing for a string, much for a vibrato, something for a plain voice', () => {
    expect(movement(partialsOf(still, RATE), 57, whole)).toBeLessThan(0.3);
    expect(movement(partialsOf(vibrato, RATE), 64, whole)).toBeGreaterThan(8);
    expect(movement(partialsOf(unsteady, RATE), 60, whole)).toBeGreaterThan(1.7);
  });

  it('is told of each where two sound at once', () => {
    const both = partialsOf(added(still, vibrato), RATE);
    expect(movement(both, 57, whole)).toBeLessThan(1);
    expect(movement(both, 64, whole)).toBeGreaterThan(4);
  });

  it('is unknown of what is too short, and outside of the sound', () => {
    const partials = partialsOf(still, RATE);
    expect(movement(partials, 57, { start: 0.5, end: 0.6 })).toBeNaN();
    expect(movement(partials, 57, { start: 8, end: 9 })).toBeNaN();
  });
});
