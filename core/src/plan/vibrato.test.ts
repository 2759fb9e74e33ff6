import { neutralPlan } from '../voice';
import { addVibrato, type AddedVibrato } from './vibrato';

const plain: AddedVibrato = {
  rateHz: 5.5,
  depthCents: 60,
  delay: 0.3,
  build: 0.2,
  irregularity: 0,
  seed: 1,
  swayDb: 0,
  swayCents: 0,
};
const added = (change: Partial<AddedVibrato> = {}) =>
  addVibrato(neutralPlan(800, 0.005), 0.5, 3.5, { ...plain, ...change });
/** Moments at which the curve goes up through zero. */
const rises = (c: Float32Array) =>
  Array.from(c.keys()).flatMap(k => (k && c[k - 1] < 0 && c[k] >= 0 ? [k - c[k] / (c[k] - c[k - 1])] : []));

describe('an added vibrato', () => {
  it('begins after its delay, grows, swings at its rate and depth, and is gone at the end', () => {
    const { offsetCents, active } = added();
    expect(offsetCents.slice(0, 160).every(v => v === 0)).toBe(true);
    expect(offsetCents.slice(701).every(v => v === 0)).toBe(true);
    expect(active.slice(100, 700).every(a => a === 1)).toBe(true);
    expect(active[99] + active[702]).toBe(0);
    const at = rises(offsetCents.slice(0, 685)); // before it dies away
    const rate = (at.length - 1) / ((at[at.length - 1] - at[0]) * 0.005);
    expect(Math.abs(rate / 5.5 - 1)).toBeLessThan(0.002);
    const body = offsetCents.slice(260, 660);
    expect(Math.max(...body)).toBeGreaterThan(59);
    expect(Math.max(...offsetCents.slice(160, 180))).toBeLessThan(30);
  });

  it('sways loudness and formants with the pitch when asked, and only then', () => {
    expect(added().levelDb).toBeUndefined();
    const { offsetCents, levelDb, formantCents } = added({ swayDb: 1.5, swayCents: 20 });
    for (let k = 0; k < 800; k += 7) {
      expect(levelDb![k]).toBeCloseTo((offsetCents[k] * 1.5) / 60, 4);
      expect(formantCents![k]).toBeCloseTo(offsetCents[k] / 3, 3);
    }
  });

  it('is irregular by its seed, the same each time, and leaves the given plan alone', () => {
    const [a, b, c] = [added({ irregularity: 1 }), added({ irregularity: 1 }), added({ irregularity: 1, seed: 2 })];
    expect(Array.from(a.offsetCents)).toEqual(Array.from(b.offsetCents));
    expect(Array.from(a.offsetCents)).not.toEqual(Array.from(c.offsetCents));
    const given = neutralPlan(800, 0.005);
    addVibrato(given, 0.5, 3.5, plain);
    expect(given.offsetCents.some(v => v !== 0)).toBe(false);
  });
});
