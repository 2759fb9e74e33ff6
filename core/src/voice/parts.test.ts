/** @jest-environment jest-environment-node-single-context */
import { singPhrases } from '@essim/demo';
import { median } from '../signal/statistics';
import { findSegments } from './epochs';
import { findAttacks, layGaps } from './gaps';
import { layPulses, type VoicePlan } from './pulses';
import { separate } from './separate';

const { samples, truth } = singPhrases([0]);
const rate = truth.sampleRate;
const segments = findSegments(samples, rate, truth.f0, truth.hop);
const frames = truth.f0.length;
const plan = (change: Partial<VoicePlan> = {}): VoicePlan => ({
  hop: truth.hop,
  offsetCents: new Float32Array(frames),
  active: new Uint8Array(frames),
  formantRatio: 1,
  stretch: 1,
  ...change,
});

describe('epochs', () => {
  it('lie one period apart, wherever the truth has a pitch', () => {
    const off: number[] = [];
    for (const s of segments)
      for (let k = 1; k < s.epochs.length; k++) {
        expect(s.epochs[k]).toBeGreaterThan(s.epochs[k - 1]);
        const f0 = truth.f0[Math.round((s.epochs[k] + s.epochs[k - 1]) / 2 / rate / truth.hop)];
        if (f0 > 0) off.push(Math.abs(1200 * Math.log2((s.epochs[k] - s.epochs[k - 1]) / (rate / f0))));
      }
    expect(off.length).toBeGreaterThan(500);
    expect(median(off)).toBeLessThan(10); // the singer's jitter is in here
    expect(off.filter(c => c > 150).length / off.length).toBeLessThan(0.02);
  });
});

describe('the layers of a voice', () => {
  const { pulses, breath } = separate(samples, rate, segments);

  it('add up to it', () => {
    let worst = 0;
    for (const s of segments)
      for (let t = s.start; t < s.end; t++) worst = Math.max(worst, Math.abs(pulses[t] + breath[t] - samples[t]));
    expect(worst).toBeLessThan(1e-6);
  });

  it('leave the voice to the pulses and little to the breath', () => {
    const power = (x: Float32Array) =>
      segments.reduce((sum, s) => sum + x.subarray(s.start, s.end).reduce((a, v) => a + v * v, 0), 0);
    const db = 10 * Math.log10(power(breath) / power(samples));
    expect(db).toBeLessThan(-12);
    expect(db).toBeGreaterThan(-45);
  });
});

describe('pulses', () => {
  it('follow a steep curve by its integral', () => {
    const [longest] = [...segments].sort((a, b) => b.epochs.length - a.epochs.length);
    const ramp = plan();
    const first = Math.round(longest.start / rate / truth.hop);
    const last = Math.round(longest.end / rate / truth.hop);
    for (let k = 0; k < frames; k++) ramp.offsetCents[k] = 700 * Math.min(1, Math.max(0, (k - first) / (last - first)));
    ramp.active.fill(1);
    const run = layPulses(segments, ramp, rate).runs.find(r => r[0].segment === longest)!;
    // as many pulses as the integral of the ratio over the epochs
    let wanted = 0;
    for (let k = 1; k < longest.epochs.length; k++) {
      const q = (longest.epochs[k] + longest.epochs[k - 1]) / 2 / rate / truth.hop;
      wanted += 2 ** (ramp.offsetCents[Math.round(q)] / 1200);
    }
    expect(Math.abs(run.length - wanted)).toBeLessThan(3);
    for (let k = 1; k < run.length; k++) expect(run[k].at).toBeGreaterThan(run[k - 1].at);
  });

  it('land on an untouched epoch when an edit ends inside a held voice', () => {
    const [longest] = [...segments].sort((a, b) => b.epochs.length - a.epochs.length);
    const part = plan();
    const from = Math.round((longest.start + 0.3 * (longest.end - longest.start)) / rate / truth.hop);
    const to = Math.round((longest.start + 0.7 * (longest.end - longest.start)) / rate / truth.hop);
    part.offsetCents.fill(90, from, to);
    part.active.fill(1, from, to);
    const { runs, masks } = layPulses(segments, part, rate);
    expect(runs).toHaveLength(1);
    const end = runs[0][runs[0].length - 1];
    expect(Array.from(longest.epochs)).toContain(end.at);
    expect(masks[0].v0).toBe(end.at);
    expect(masks[0].u0).toBeGreaterThan((from - 3) * truth.hop * rate);
  });

  it('are none where nothing is asked', () => expect(layPulses(segments, plan(), rate).runs).toHaveLength(0));
});

describe('unpitched stretches when stretched', () => {
  it('keep plosives rigid at their attack', () => {
    const x = new Float32Array(rate);
    let s = 5;
    for (let i = 24000; i < 25000; i++)
      x[i] = 0.3 * ((s = (s * 16807) % 2147483647) / 2147483647 - 0.5) * Math.exp(-(i - 24000) / 300);
    const [attack] = findAttacks(x, rate, [[0, rate]]);
    expect(Math.abs(attack - 24000)).toBeLessThan(100);
    const rigid = layGaps(x, rate, [], 2).find(p => p.fadeIn === 24)!;
    // the attack is read at natural speed and lands at twice its time
    expect(Math.abs(rigid.at + 24 + 0.003 * rate - 2 * attack)).toBeLessThan(3);
    expect(rigid.shift).toBe(attack - 2 * attack);
  });

  it('leave no hole', () => {
    const x = new Float32Array(rate).fill(0.1);
    const pieces = layGaps(x, rate, [], 1.7);
    const cover = new Float32Array(Math.round(rate * 1.7));
    for (const p of pieces)
      for (let u = Math.max(0, p.at); u < Math.min(cover.length, p.at + p.length); u++) cover[u]++;
    expect(cover.subarray(400, cover.length - 400).every(c => c >= 1)).toBe(true);
  });
});
