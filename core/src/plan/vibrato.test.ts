import { neutralPlan } from '../voice';
import { splitNotes } from './movement';
import { addVibrato, turnedVibrato, type AddedVibrato } from './vibrato';

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

describe('a sung vibrato turned', () => {
  const RATE = 5.4;
  const DEPTH = 45;
  const n = 500;
  const swing = (k: number) => {
    const t = k * 0.005;
    return DEPTH * Math.max(0, Math.min(1, (t - 0.2) / 0.3)) * Math.sin(2 * Math.PI * RATE * (t - 0.2));
  };
  const sung = Float64Array.from({ length: n }, (_, k) => 6000 + swing(k));
  const [note] = splitNotes(sung, new Float64Array(n).fill(1), [{ start: 0, end: n }]);
  const turned = (faster: number, phase: number) =>
    turnedVibrato(note, { faster, phase }).map((v, k) => v + note.vibratoAt(k));
  /** Rate between the first and the last rise through zero within frames. */
  const rateOf = (x: ArrayLike<number>, from: number, to: number) => {
    const at = rises(Float32Array.from(Array.from(x).slice(from, to)));
    return (at.length - 1) / ((at[at.length - 1] - at[0]) * 0.005);
  };

  it('has the rate that was asked, and its own depth', () => {
    for (const faster of [0.94, 1, 1.06]) {
      const x = turned(faster, 0);
      expect(Math.abs(rateOf(x, 140, 480) / (RATE * faster) - 1)).toBeLessThan(0.006);
      const depth = Math.max(...x.slice(180, 460));
      expect(Math.abs(depth / DEPTH - 1)).toBeLessThan(0.06);
    }
  });

  it('begins elsewhere in its swing', () => {
    const [a, b] = [turned(1, 0), turned(1, Math.PI)];
    for (let k = 160; k < 460; k += 11) expect(Math.abs(a[k] + b[k])).toBeLessThan(5);
  });

  it('leaves the ends of the note, and a note without vibrato, as they were', () => {
    const change = turnedVibrato(note, { faster: 1.06, phase: 2 });
    expect(Math.abs(change[0])).toBeLessThan(0.01);
    expect(Math.abs(change[n - 1])).toBeLessThan(0.01);
    for (let k = 1; k < n; k++) expect(Math.abs(change[k] - change[k - 1])).toBeLessThan(20);
    const flat = splitNotes(new Float64Array(n).fill(6000), new Float64Array(n).fill(1), [{ start: 0, end: n }])[0];
    expect(turnedVibrato(flat, { faster: 1.06, phase: 2 }).every(v => v === 0)).toBe(true);
  });
});
