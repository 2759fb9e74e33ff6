import { singPhrases } from '@essim/demo';
import { quantile } from '../signal/statistics';
import { analyseVoice, layOut, neutralPlan, renderSpan, type VoicePlan } from '.';

const { samples, truth } = singPhrases([0]);
const rate = truth.sampleRate;
const analysis = analyseVoice([samples], rate, truth.f0, truth.hop);

function moved(cents: number, change: Partial<VoicePlan> = {}): Float32Array {
  const plan = { ...neutralPlan(truth.f0.length, truth.hop), ...change };
  plan.offsetCents.fill(cents);
  plan.active.fill(1);
  const layout = layOut(analysis, plan);
  const out = new Float32Array(layout.length);
  renderSpan(analysis, layout, 0, 0, out.length, out);
  return out;
}

/** dB under a Hann window of so many samples either side. */
function level(x: Float32Array, at: number, half: number): number {
  let sum = 1e-9;
  for (let i = Math.ceil(at - half); i <= at + half; i++)
    sum += (0.5 + 0.5 * Math.cos((Math.PI * (i - at)) / half)) * (x[i] ?? 0) ** 2;
  return 10 * Math.log10(sum / half);
}

/** Change of level at every frame well inside a voice. */
function changes(y: Float32Array, ratio: number): number[] {
  const out: number[] = [];
  truth.f0.forEach((hz, k) => {
    if (!(hz > 0) || !(truth.f0[k - 4] > 0) || !(truth.f0[k + 4] > 0)) return;
    const half = (1.25 * rate) / hz / Math.min(1, ratio);
    const at = k * truth.hop * rate;
    if (level(samples, at, half) > -50) out.push(level(y, at, half) - level(samples, at, half));
  });
  return out;
}

describe('a voice made anew', () => {
  it.each([10, 40, -200, 1200, -1200])('is as loud as sung at every moment when moved by %i cents', cents => {
    const off = changes(moved(cents), 2 ** (cents / 1200));
    expect(off.length).toBeGreaterThan(300);
    const mean = off.reduce((s, v) => s + v, 0) / off.length;
    expect(Math.abs(mean)).toBeLessThan(0.1);
    expect(
      quantile(
        off.map(v => Math.abs(v - mean)),
        0.99,
      ),
    ).toBeLessThan(0.6);
  });

  it('is so while its formants are moved too', () => {
    const off = changes(moved(30, { formantCents: new Float32Array(truth.f0.length).fill(300) }), 1);
    expect(quantile(off.map(Math.abs), 0.98)).toBeLessThan(0.8);
  });

  it('gives the same samples in whatever spans and order it is asked for', () => {
    const whole = moved(70);
    const plan = neutralPlan(truth.f0.length, truth.hop);
    plan.offsetCents.fill(70);
    plan.active.fill(1);
    const layout = layOut(analysis, plan);
    for (const from of [90_000, 30_000, 61_111, 30_700]) {
      const part = new Float32Array(1500);
      renderSpan(analysis, layout, 0, from, from + 1500, part);
      expect(part).toEqual(whole.slice(from, from + 1500));
    }
  });

  it.each([80, 130, 300, 700])('has no corner that a voice of %i Hz has not, wherever it is made in pieces', hz => {
    const x = Float32Array.from({ length: rate }, (_, i) => {
      let s = 0;
      for (let h = 1; h <= 6; h++) s += Math.cos((2 * Math.PI * h * hz * i) / rate + h * h) / h;
      return 0.2 * s;
    });
    const frames = Math.floor(1 / truth.hop);
    const voice = analyseVoice([x], rate, new Float32Array(frames).fill(hz), truth.hop);
    for (const cents of [-48, 20, 48, 90, 400]) {
      const plan = neutralPlan(frames, truth.hop);
      plan.offsetCents.fill(cents);
      plan.active.fill(1);
      const layout = layOut(voice, plan);
      const y = new Float32Array(layout.length);
      renderSpan(voice, layout, 0, 0, y.length, y);
      const sharpest = (z: Float32Array) => {
        let most = 0;
        for (let i = 0.2 * rate; i < 0.8 * rate; i++) most = Math.max(most, Math.abs(z[i - 1] - 2 * z[i] + z[i + 1]));
        return most;
      };
      // what is made anew may be sharper than these cosines; where pieces do not meet it was twenty times as sharp
      expect(sharpest(y)).toBeLessThan(4 * sharpest(x) * 2 ** (cents / 600));
    }
  });
});
