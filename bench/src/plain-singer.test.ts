import { singPlainly } from './plain-singer';

/** The witness of the bench must sing what its truth says. */
describe('the second singer', () => {
  const voice = { base: 57, tract: 1, seed: 5 };
  const { samples, truth } = singPlainly(voice, { phrases: 2 });
  const power = (from: number, to: number, x = samples) => {
    const part = x.subarray(Math.round(from * truth.sampleRate), Math.round(to * truth.sampleRate));
    return part.reduce((s, v) => s + v * v, 0) / part.length;
  };

  it('sings the same each time, and otherwise with another seed', () => {
    const [once, again, other] = [voice, voice, { ...voice, seed: 6 }].map(v => singPlainly(v, { phrases: 1 }));
    expect(again.samples).toEqual(once.samples);
    expect(other.truth.notes).not.toEqual(once.truth.notes);
  });

  it('repeats itself after one period of its true pitch', () => {
    for (const n of truth.notes.filter(k => k.end - k.start > 0.3)) {
      const t = n.start + 0.6 * (n.end - n.start);
      const hz = truth.f0[Math.round(t / truth.hop)];
      const period = Math.round(truth.sampleRate / hz);
      const a = Math.round(t * truth.sampleRate) - period;
      let [r, e, g] = [0, 0, 0];
      for (let i = 0; i < 2 * period; i++) {
        const [u, v] = [samples[a + i], samples[a + i + period]];
        r += u * v;
        e += u * u;
        g += v * v;
      }
      expect(r / Math.sqrt(e * g)).toBeGreaterThan(0.9);
    }
  });

  it('makes noise where it says, and is all but silent in rests', () => {
    const first = truth.noises[0];
    expect(first.kind).toBe('breath');
    expect(power(first.start + 0.1, first.end - 0.1)).toBeGreaterThan(30 * power(0, first.start - 0.1));
    for (const n of truth.noises.filter(k => k.kind === 'sibilant'))
      expect(power(n.start + 0.02, n.end - 0.02)).toBeGreaterThan(1e4 * power(0, first.start - 0.1));
  });

  it('sings the same otherwise: transposed, slower', () => {
    const usual = singPlainly(voice, { phrases: 1 }).truth;
    const higher = singPlainly(voice, { phrases: 1, cents: 400 }).truth;
    usual.notes.forEach((n, i) => expect(higher.notes[i].sung - n.sung).toBeCloseTo(4, 3));
    expect(higher.noises).toEqual(usual.noises);
    const slower = singPlainly(voice, { phrases: 1, pace: 2 }).truth;
    usual.notes.forEach((n, i) => {
      expect(slower.notes[i].start).toBeCloseTo(2 * n.start, 6);
      expect(Math.abs(slower.notes[i].sung - n.sung)).toBeLessThan(0.06);
    });
  });
});
