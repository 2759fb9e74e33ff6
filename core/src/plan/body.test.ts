import { seededRandom } from '../signal/random';
import { fitBody, FRAME, JointSmoother } from './body';

/** A made-up body: slow drift, a vibrato that sets in, a scoop and a fall, and grain. */
function madeUp({ vibrato = 0, rate = 5.4, delay = 0.3, scoop = 0, fall = 0, seconds = 1.2, seed = 1 }) {
  const random = seededRandom(seed);
  return Float64Array.from({ length: Math.round(seconds / FRAME) }, (_, k) => {
    const t = k * FRAME;
    const swing = vibrato * Math.min(1, Math.max(0, (t - delay) / 0.2)) * Math.sin(2 * Math.PI * rate * (t - delay));
    return (
      6000 +
      6 * Math.sin(2 * Math.PI * 0.6 * t) +
      swing -
      scoop * Math.exp(-t / 0.045) -
      fall * Math.exp(-(seconds - t) / 0.045) +
      1.2 * random.normal()
    );
  });
}
const ones = (y: Float64Array) => new Float64Array(y.length).fill(1);

describe('the body of a note', () => {
  it.each([4.3, 5.4, 6.8])('finds a vibrato of %d Hz, its rate and depth', rate => {
    const y = madeUp({ vibrato: 40, rate });
    const { vibratoShape } = fitBody(y, ones(y), true, true);
    expect(vibratoShape!.rate).toBeCloseTo(rate, 1);
    expect(vibratoShape!.depth).toBeGreaterThan(35);
    expect(vibratoShape!.depth).toBeLessThan(45);
  });

  it('finds none where there is none', () => {
    let false_ = 0;
    for (let seed = 1; seed <= 20; seed++) {
      const y = madeUp({ seed });
      const body = fitBody(y, ones(y), true, true);
      if (body.vibratoShape || Math.abs(body.wayIn?.depth ?? 0) > 40 || Math.abs(body.wayOut?.depth ?? 0) > 40)
        false_++;
    }
    expect(false_).toBeLessThanOrEqual(1);
  });

  it.each([80, 200])('finds a scoop and a fall of %d cents', depth => {
    const y = madeUp({ scoop: depth, fall: depth });
    const { wayIn, wayOut } = fitBody(y, ones(y), true, true);
    expect(wayIn!.depth).toBeLessThan(-0.6 * depth);
    expect(wayOut!.depth).toBeLessThan(-0.6 * depth);
    expect(wayIn!.depth).toBeGreaterThan(-1.4 * depth);
  });

  it('does not let a stuck breath pull the slow line', () => {
    const y = madeUp({ vibrato: 30 });
    const w = ones(y);
    for (let k = 0; k < 40; k++) {
      y[k] += 900;
      w[k] = 0;
    }
    const { slow } = fitBody(y, w, true, true);
    for (let k = 60; k < y.length - 20; k++) expect(Math.abs(slow[k] - 6000)).toBeLessThan(18);
  });

  it('separates slow and fast: no vibrato is lost to the slow part', () => {
    const y = madeUp({ vibrato: 40, delay: -1 });
    const { slow, vibrato } = new JointSmoother(ones(y), 5.4).split(y);
    const middle = vibrato.slice(60, 180);
    expect((Math.max(...middle) - Math.min(...middle)) / 2).toBeGreaterThan(37);
    for (let k = 40; k < 200; k++) expect(Math.abs(slow[k] - 6000)).toBeLessThan(12);
  });

  it.each([0, 5.4])('tells by half a solution what a smoother would leave over (at %d Hz)', rate => {
    const y = madeUp({ vibrato: 30, seconds: 0.6 });
    const n = y.length;
    const w = Float64Array.from(y, (_, i) => (i % 17 === 3 ? 0 : 0.3 + 0.7 * Math.cos(i) ** 2));
    const begins = [6, 12].map(t => Float64Array.from(y, (_, i) => Math.exp(-i / t)));
    const first = n - 30;
    const ends = [5, 20].map(t => Float64Array.from(y, (_, i) => (i < first ? 0 : Math.exp((i - n) / t))));
    const smoother = new JointSmoother(w, rate);
    const all = [
      ...begins.map(s => ({ s, reduced: smoother.reduce(s, 0) })),
      ...ends.map(s => ({ s, reduced: smoother.reduce(s, first) })),
    ];
    for (const a of all)
      for (const b of all) {
        const { slow, vibrato } = smoother.split(b.s);
        const whole = a.s.reduce((sum, v, i) => sum + w[i] * v * (b.s[i] - slow[i] - vibrato[i]), 0);
        expect(smoother.leftOver(a.s, a.reduced, b.s, b.reduced)).toBeCloseTo(whole, 8);
      }
  });
});
