import { analyseVoice, layOut, neutralPlan, renderAll } from '.';
import { findRises } from './rises';

const RATE = 48000;
const F0 = 200;

describe('where a voice opens at once', () => {
  const epochs = Float64Array.from({ length: 40 }, (_, k) => 1000 + 240 * k);
  const level = (of: (k: number) => number) => epochs.map((_, k) => of(k));

  it('is the first loud period after a murmur, with the murmur before it', () => {
    const found = findRises(
      epochs,
      level(k => (k < 12 || k >= 20 ? -20 : -38)),
      RATE,
    );
    expect(found).toHaveLength(1);
    expect(found[0]).toMatchObject({ epoch: 20, quietFrom: 12 });
    expect(found[0].depth).toBeCloseTo(18);
  });

  it('is no slow swell, no unrest and no fall', () => {
    expect(
      findRises(
        epochs,
        level(k => -60 + 1.2 * k),
        RATE,
      ),
    ).toEqual([]);
    expect(
      findRises(
        epochs,
        level(k => -20 + 2 * Math.sin(k * 1.7)),
        RATE,
      ),
    ).toEqual([]);
    expect(
      findRises(
        epochs,
        level(k => (k < 20 ? -20 : -40)),
        RATE,
      ),
    ).toEqual([]);
  });

  it('takes a murmur of at most an eighth of a second along', () => {
    const [rise] = findRises(
      epochs,
      level(k => (k < 35 ? -40 : -20)),
      RATE,
    );
    expect(rise.epoch).toBe(35);
    expect((35 - rise.quietFrom) * 240).toBeLessThanOrEqual(0.12 * RATE);
    expect(rise.quietFrom).toBeGreaterThan(0);
  });
});

/** A voice that closes to a murmur 20 dB down for 60 ms and opens within a period, over and over. */
function closingVoice(): Float32Array {
  const x = new Float32Array(2.4 * RATE);
  for (let i = 0; i < x.length; i++) {
    const t = i / RATE;
    const within = t % 0.4;
    const gain = within < 0.06 ? 0.1 : 1;
    let s = 0;
    for (let h = 1; h <= 12; h++) s += Math.cos(2 * Math.PI * h * F0 * t) / h;
    x[i] = 0.1 * gain * s;
  }
  return x;
}

describe('a moved voice that opens at once', () => {
  const x = closingVoice();
  const frames = Math.floor(x.length / RATE / 0.005);
  const voice = analyseVoice([x], RATE, new Float32Array(frames).fill(F0), 0.005);
  const [{ epochs, rises }] = voice.segments;

  it('stands where it was sung at each opening, whatever it is moved by', () => {
    expect(rises.length).toBeGreaterThanOrEqual(5);
    for (const cents of [10, 40, -300, 700]) {
      const plan = neutralPlan(frames, 0.005);
      plan.offsetCents.fill(cents);
      plan.active.fill(1);
      const { at, source } = layOut(voice, plan).runs[0].laid!;
      for (const { epoch } of rises.slice(1)) {
        const nearest = Math.min(...source.map(t => Math.abs(t - epochs[epoch])));
        expect(nearest).toBeLessThan(1);
      }
      // the pitch of what is loud is the one that was asked for
      const wanted = 1200 * Math.log2(2 ** (cents / 1200) * F0);
      const off: number[] = [];
      for (let i = 1; i < at.length; i++) {
        const within = (at[i] / RATE) % 0.4;
        if (within > 0.08 && within < 0.39) off.push(Math.abs(1200 * Math.log2(RATE / (at[i] - at[i - 1])) - wanted));
      }
      off.sort((a, b) => a - b);
      expect(off[Math.floor(off.length * 0.9)]).toBeLessThan(3);
    }
  });

  it('is never louder before an opening than it was sung', () => {
    const plan = neutralPlan(frames, 0.005);
    plan.offsetCents.fill(40);
    plan.active.fill(1);
    const [y] = renderAll(voice, plan);
    const power = (z: Float32Array, from: number, to: number) =>
      z.subarray(from, to).reduce((s, v) => s + v * v, 1e-9) / (to - from);
    for (let k = 1; k < 6; k++) {
      // half a period before it opens
      const [from, to] = [k * 0.4 + 0.06 - 0.5 / F0, k * 0.4 + 0.06].map(t => Math.round(t * RATE));
      const db = 10 * Math.log10(power(y, from, to) / power(x, from, to));
      expect(db).toBeLessThan(3);
    }
  });
});
