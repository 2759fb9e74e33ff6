import { midiToHz } from '../units';
import { stillIn } from './still';

const RATE = 24000;
const SECONDS = 4;
/** A tone of six harmonics from one moment to another, its pitch moved by cents. */
function tone(midi: number, from: number, to: number, cents: (t: number) => number = () => 0): Float32Array {
  let phase = 0;
  return Float32Array.from({ length: SECONDS * RATE }, (_, i) => {
    const t = i / RATE;
    phase += (2 * Math.PI * midiToHz(midi + cents(t) / 100)) / RATE;
    const swell = Math.max(0, Math.min(1, (t - from) / 0.03, (to - t) / 0.03));
    let y = 0;
    for (let h = 1; h <= 6; h++) y += Math.sin(h * phase) / h;
    return 0.1 * swell * y;
  });
}
const vibrato = (t: number) => 40 * Math.sin(2 * Math.PI * 5.5 * t);
const power = (x: Float32Array, from = 0, to = SECONDS) =>
  x.subarray(from * RATE, to * RATE).reduce((s, v) => s + v * v, 0) / ((to - from) * RATE);
const db = (a: number, b: number) => 10 * Math.log10(a / b);
const added = (a: Float32Array, b: Float32Array) => a.map((v, i) => v + b[i]);
const without = (x: Float32Array): Float32Array => stillIn(x, RATE)!.without();

describe('a sound without what stands still', () => {
  const held = tone(57, 0.5, 3.5);
  const sung = tone(64, 1, 3, vibrato);

  it('has hardly anything left of a held tone, nearly all of a vibrato', () => {
    expect(db(power(without(held)), power(held))).toBeLessThan(-14);
    const kept = without(sung);
    expect(db(power(kept.map((v, i) => v - sung[i])), power(sung))).toBeLessThan(-12);
  });

  it('keeps what is sung over it, at its very pitch too, where that passes soon', () => {
    expect(db(power(without(added(held, sung)), 1, 3), power(sung, 1, 3))).toBeGreaterThan(-1);
    const short = tone(57, 1.8, 2.1, t => 4 * Math.sin(30 * t));
    const left = without(added(held, short));
    expect(db(power(left, 1.85, 2.05), power(short, 1.85, 2.05))).toBeGreaterThan(-4);
    expect(db(power(left, 0.9, 1.6), power(held, 0.9, 1.6))).toBeLessThan(-14);
  });

  it('tells where nothing else sounds, and puts nothing where nothing was', () => {
    const still = stillIn(added(held, sung), RATE)!;
    expect(still.about(0.8).left).toBeLessThan(0.1);
    expect(still.about(2).left).toBeGreaterThan(0.4);
    expect(power(without(held), 3.8, 4)).toBeLessThan(1e-6);
    expect(still.about(99).power).toBeGreaterThanOrEqual(0);
  });

  it('is stopped', () => {
    let told = 0;
    expect(stillIn(held, RATE, () => ++told < 3)).toBeNull();
    expect(told).toBe(3);
  });
});
