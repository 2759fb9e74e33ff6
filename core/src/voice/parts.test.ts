import { singPhrases } from '@essim/demo';
import { median } from '../signal/statistics';
import { TimeMap } from '../song/timemap';
import { analyseVoice, layOut, type VoicePlan } from '.';
import { findAttacks, Ground } from './gaps';
import { TimeLine } from './timeline';

const { samples, truth } = singPhrases([0]);
const rate = truth.sampleRate;
const analysis = analyseVoice([samples], rate, truth.f0, truth.hop);
const { segments } = analysis;
const frames = truth.f0.length;
const plan = (change: Partial<VoicePlan> = {}): VoicePlan => ({
  hop: truth.hop,
  offsetCents: new Float32Array(frames),
  active: new Uint8Array(frames),
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
  it('add up to it', () => {
    let worst = 0;
    for (const s of segments) {
      const { pulses, breath, from } = analysis.layersOf(s, 0);
      for (let t = s.start; t < s.end; t++)
        worst = Math.max(worst, Math.abs(pulses[t - from] + breath[t - from] - samples[t]));
    }
    expect(worst).toBeLessThan(1e-6);
  });

  it('leave the voice to the pulses and little to the breath', () => {
    let [breathy, all] = [0, 0];
    for (const s of segments) {
      const { breath, from } = analysis.layersOf(s, 0);
      for (let t = s.start; t < s.end; t++) {
        breathy += breath[t - from] ** 2;
        all += samples[t] ** 2;
      }
    }
    const db = 10 * Math.log10(breathy / all);
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
    const { at } = layOut(analysis, ramp).runs.find(r => r.segment === longest)!.laid!;
    // as many pulses as the integral of the ratio over the epochs
    let wanted = 0;
    for (let k = 1; k < longest.epochs.length; k++) {
      const q = (longest.epochs[k] + longest.epochs[k - 1]) / 2 / rate / truth.hop;
      wanted += 2 ** (ramp.offsetCents[Math.round(q)] / 1200);
    }
    expect(Math.abs(at.length - wanted)).toBeLessThan(3);
    for (let k = 1; k < at.length; k++) expect(at[k]).toBeGreaterThan(at[k - 1]);
  });

  it('land on an untouched epoch when an edit ends inside a held voice', () => {
    const [longest] = [...segments].sort((a, b) => b.epochs.length - a.epochs.length);
    const part = plan();
    const from = Math.round((longest.start + 0.3 * (longest.end - longest.start)) / rate / truth.hop);
    const to = Math.round((longest.start + 0.7 * (longest.end - longest.start)) / rate / truth.hop);
    part.offsetCents.fill(90, from, to);
    part.active.fill(1, from, to);
    const { runs } = layOut(analysis, part);
    expect(runs).toHaveLength(1);
    const laid = runs[0].laid!;
    const end = laid.at[laid.at.length - 1];
    expect(Array.from(longest.epochs)).toContain(end);
    expect(laid.v0).toBe(end);
    expect(laid.u0).toBeGreaterThan((from - 3) * truth.hop * rate);
    // the phase missed at the end is spread so thin that no held pitch is bent by more than a few cents
    const ratio = 2 ** (90 / 1200);
    const bends = Array.from({ length: laid.at.length - 1 }, (_, i) => {
      const k = laid.epoch[i];
      const sung = longest.periods[k];
      return Math.abs(1200 * Math.log2(sung / (laid.at[i + 1] - laid.at[i]) / ratio));
    });
    expect(median(bends)).toBeLessThan(12);
  });

  it('are none where nothing is asked', () => expect(layOut(analysis, plan()).runs).toHaveLength(0));
});

/** Ground under nothing but unpitched sound, its time map given in seconds. */
const ground = (x: Float32Array, points: [number, number][]) => {
  const map = TimeMap.through(points.map(([from, to]) => ({ from, to })));
  const line = TimeLine.of(map, x.length, rate);
  const out = new Float32Array(line.length);
  const under = new Ground(x, rate, [], line);
  under.add(0, out.length, out);
  return { line, out, under };
};

describe('unpitched stretches when time is bent', () => {
  it('keep plosives rigid at their attack', () => {
    const x = new Float32Array(rate);
    let s = 5;
    for (let i = 24000; i < 25000; i++)
      x[i] = 0.3 * ((s = (s * 16807) % 2147483647) / 2147483647 - 0.5) * Math.exp(-(i - 24000) / 300);
    const [attack] = findAttacks(x, rate, 0, rate);
    expect(Math.abs(attack - 24000)).toBeLessThan(100);
    const { out } = ground(x, [
      [0, 0],
      [1, 2],
    ]);
    // the attack is heard at natural speed at twice its time, and nothing before it
    expect(out.subarray(0, 2 * attack - 160).every(v => v === 0)).toBe(true);
    const [from, to] = [attack + 200, attack + 700];
    expect(Array.from(out.subarray(from + attack, to + attack))).toEqual(Array.from(x.subarray(from, to)));
  });

  it.each([0.25, 0.6, 1.7, 4])('leave no hole and no bump at %d times the length', factor => {
    const x = new Float32Array(rate);
    let s = 7;
    for (let i = 0; i < rate; i++) x[i] = 0.2 * ((s = (s * 16807) % 2147483647) / 2147483647 - 0.5);
    const { out } = ground(x, [
      [0, 0],
      [1, factor],
    ]);
    expect(out).toHaveLength(Math.round(rate * factor));
    const power = (y: Float32Array) => y.reduce((a, v) => a + v * v, 0) / y.length;
    for (let u = 2000; u + 2400 < out.length; u += 2400)
      expect(Math.abs(10 * Math.log10(power(out.subarray(u, u + 2400)) / power(x)))).toBeLessThan(2);
  });

  it('copies bit for bit what is only moved, to the sample', () => {
    const x = Float32Array.from({ length: rate }, (_, i) => Math.sin(i / 7) * 0.3);
    const { line, out } = ground(x, [
      [0, 0],
      [0.2, 0.2],
      [0.4, 0.5333],
      [0.9, 1.0333],
      [1, 1.1],
    ]);
    const shift = line.forward(0.6 * rate) - 0.6 * rate;
    expect(Number.isInteger(shift)).toBe(true);
    const [from, to] = [0.41, 0.89].map(t => Math.round(t * rate));
    expect(out.slice(from + shift, to + shift)).toEqual(x.slice(from, to));
    expect(out.slice(0, 0.19 * rate)).toEqual(x.slice(0, 0.19 * rate));
    // a slow wave has no step anywhere, at the joins neither
    const steepest = out.reduce((a, v, i) => Math.max(a, i ? Math.abs(v - out[i - 1]) : 0), 0);
    expect(steepest).toBeLessThan(0.07);
  });
});

describe('the time line', () => {
  it('agrees in both directions and rounds what runs naturally to whole samples', () => {
    const map = TimeMap.through([
      { from: 0.1, to: 0.1 },
      { from: 0.3, to: 0.41234 },
      { from: 0.7, to: 0.81234 },
    ]);
    const line = TimeLine.of(map, rate, rate);
    expect(line.natural).toBe(false);
    for (let t = 0; t < rate; t += 97) expect(Math.abs(line.backward(line.forward(t)) - t)).toBeLessThan(1e-6);
    expect(line.forward(0.5 * rate) - 0.5 * rate).toBe(Math.round(0.11234 * rate));
    expect(line.forward(0.05 * rate)).toBe(0.05 * rate);
    expect(line.length).toBe(Math.round(1.11234 * rate));
  });
});
