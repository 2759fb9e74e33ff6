import { highPass } from '../signal/filter';
import { seededRandom } from '../signal/random';
import { quantile } from '../signal/statistics';
import { findSegments } from './epochs';
import { groupsOf, separate } from './separate';

const RATE = 48000;
const HOP = 0.005;

/** A voice made of pulses through two resonances, its every period known. @param hz at each moment, s */
function pulsed(seconds: number, hz: (t: number) => number, noise = 0) {
  const x = new Float32Array(Math.round(seconds * RATE));
  const marks: number[] = [];
  const ring = Float64Array.from(
    { length: 900 },
    (_, i) =>
      Math.exp(-i / 120) * Math.sin((2 * Math.PI * 640 * i) / RATE) +
      0.5 * Math.exp(-i / 90) * Math.sin((2 * Math.PI * 1250 * i) / RATE),
  );
  for (let t = 0.02; t < seconds - 0.02; t += 1 / hz(t)) {
    marks.push(t * RATE);
    const at = Math.round(t * RATE);
    for (let i = 0; i < ring.length && at + i < x.length; i++) x[at + i] += 0.3 * ring[i];
  }
  const random = seededRandom(7);
  if (noise) for (let i = 0; i < x.length; i++) x[i] += noise * random.normal();
  const frames = Math.floor(seconds / HOP) + 1;
  const f0 = Float32Array.from({ length: frames }, (_, k) =>
    k * HOP > 0.03 && k * HOP < seconds - 0.03 ? hz(k * HOP) : 0,
  );
  return { x, f0, marks };
}
const steady = () => 196;
const swaying = (t: number) => 220 * 2 ** ((0.6 * Math.sin(2 * Math.PI * 5.4 * t)) / 12);
const gliding = (t: number) => 150 * 2 ** (t / 1.2);

it('epochs of a voice without its fundamental, as through a telephone, are as far apart as the pulses', () => {
  const { x, f0 } = pulsed(1.2, t => 110 * 2 ** ((0.3 * Math.sin(2 * Math.PI * 5 * t)) / 12), 0.01);
  let thin = x;
  for (let i = 0; i < 4; i++) thin = highPass(thin, RATE, 450) as Float32Array<ArrayBuffer>;
  const [{ epochs, periods }] = findSegments([thin], RATE, f0, HOP);
  const errors = Array.from(epochs.subarray(3, -3), (e, i) =>
    Math.abs(periods[i + 3] - RATE / f0[Math.round(e / RATE / HOP)]),
  );
  expect(quantile(errors, 0.5)).toBeLessThan(2);
  expect(quantile(errors, 0.95)).toBeLessThan(8);
});

describe.each([
  ['held', steady],
  ['with vibrato', swaying],
  ['gliding an octave', gliding],
])('epochs of a voice %s', (_, hz) => {
  const { x, f0, marks } = pulsed(1.2, hz, 0.002);
  const [segment, ...others] = findSegments([x], RATE, f0, HOP);

  it('are one a period, as far apart as the pulses', () => {
    expect(others).toEqual([]);
    const { epochs, periods } = segment;
    const inside = marks.filter(m => m >= segment.start && m < segment.end);
    expect(Math.abs(epochs.length - inside.length)).toBeLessThanOrEqual(1);
    const errors = Array.from(epochs.subarray(2, -2), (e, i) => periods[i + 2] - RATE / hz(e / RATE));
    expect(quantile(errors.map(Math.abs), 0.5)).toBeLessThan(0.6);
    expect(quantile(errors.map(Math.abs), 0.95)).toBeLessThan((0.03 * RATE) / 200);
  });

  it('stand at the same place of every period', () => {
    const { epochs, periods } = segment;
    const phase = Array.from(epochs.subarray(2, -2), (e, i) => {
      const mark = marks.reduce((best, m) => (Math.abs(m - e) < Math.abs(best - e) ? m : best));
      return (e - mark) / periods[i + 2];
    });
    const middle = quantile(phase, 0.5);
    expect(
      quantile(
        phase.map(p => Math.abs(p - middle)),
        0.95,
      ),
    ).toBeLessThan(0.12);
  });
});

describe('segments', () => {
  const { x, f0 } = pulsed(1.2, swaying);
  const broken = f0.slice();
  broken.fill(0, 100, 120);

  it('are the pitched runs, none for a run too short for them', () => {
    const blip = new Float32Array(f0.length);
    blip.fill(200, 50, 52);
    expect(findSegments([x], RATE, blip, HOP)).toEqual([]);
    expect(findSegments([x], RATE, broken, HOP).map(s => s.lastFrame)).toEqual([
      100,
      findSegments([x], RATE, f0, HOP)[0].lastFrame,
    ]);
  });

  it('whose frames did not change are taken over as they are', () => {
    const before = { f0: broken, segments: findSegments([x], RATE, broken, HOP) };
    const other = broken.slice();
    for (let k = 121; k < other.length; k++) if (other[k] > 0) other[k] *= 1.01;
    const after = findSegments([x], RATE, other, HOP, before);
    expect(after[0]).toBe(before.segments[0]);
    expect(after[1]).not.toBe(before.segments[1]);
  });

  it('of two channels have their marks in common', () => {
    const right = x.map(v => 0.4 * v);
    const [both] = findSegments([x, right], RATE, f0, HOP);
    const [one] = findSegments([x], RATE, f0, HOP);
    expect(both.epochs).toHaveLength(one.epochs.length);
    both.epochs.forEach((e, i) => expect(Math.abs(e - one.epochs[i])).toBeLessThan(0.5));
  });
});

describe('layers', () => {
  const noise = 0.02;
  const { x, f0 } = pulsed(1, swaying, noise);
  const segments = findSegments([x], RATE, f0, HOP);
  const [group] = groupsOf(segments, x.length);
  const { from, pulses, breath } = separate(x, RATE, group);
  const power = (y: Float32Array, a: number, b: number) => y.subarray(a, b).reduce((s, v) => s + v * v, 0) / (b - a);
  const [a, b] = [Math.round(0.2 * RATE), Math.round(0.8 * RATE)];

  it('add up to the voice', () => {
    let most = 0;
    for (let i = 0; i < pulses.length; i++) most = Math.max(most, Math.abs(pulses[i] + breath[i] - x[from + i]));
    expect(most).toBeLessThan(1e-6);
  });

  it('hold the tone in the one and most of the noise over it in the other', () => {
    const tone = power(pulses, a - from, b - from);
    expect(tone).toBeGreaterThan(0.9 * (power(x, a, b) - noise * noise));
    // white noise has fifteen sixteenths of its power over 1500 Hz
    expect(power(breath, a - from, b - from)).toBeGreaterThan(0.4 * noise * noise);
    expect(power(breath, a - from, b - from)).toBeLessThan(1.6 * noise * noise);
  });

  it('of segments near each other are made in one piece, those far apart on their own', () => {
    const far = new Float32Array(f0.length);
    far.set(f0.subarray(0, 60));
    far.set(f0.subarray(140), 140);
    const near = f0.slice();
    near.fill(0, 100, 104);
    expect(groupsOf(findSegments([x], RATE, near, HOP), x.length)).toHaveLength(1);
    const groups = groupsOf(findSegments([x], RATE, far, HOP), x.length);
    expect(groups).toHaveLength(2);
    expect(groups[0].to).toBeLessThan(groups[1].from);
  });
});
