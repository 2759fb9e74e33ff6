import { singPhrases } from '@essim/demo';
import { readTake } from '../read';
import { hzToCents } from '../units';
import { isFloats, packSamples } from '../signal/samples';
import { median, quantile } from '../signal/statistics';
import { TimeMap } from '../song/timemap';
import { analyseVoice, layOut, neutralPlan, renderAll, renderSpan, type VoicePlan } from '.';

const { samples, truth } = singPhrases([3]);
const rate = truth.sampleRate;
const reading = readTake(samples, rate);
const analysis = analyseVoice([samples], rate, reading.f0, reading.hop);
const frames = reading.f0.length;

const shifted = (cents: number, change: Partial<VoicePlan> = {}): VoicePlan => {
  const plan = neutralPlan(frames, reading.hop);
  plan.offsetCents.fill(cents);
  plan.active.fill(cents ? 1 : 0);
  return { ...plan, ...change };
};

/** Cents between a rendering's pitch and the sung one, both read, where both are voiced; stretch maps time. */
function pitchErrors(y: Float32Array, wanted: number, stretch = 1): number[] {
  const out = readTake(y, rate);
  const errors: number[] = [];
  for (let k = 0; k < out.f0.length; k++) {
    const i = Math.floor(k / stretch);
    const u = k / stretch - i;
    const [a, b] = [reading.f0[i], reading.f0[i + 1]];
    if (out.f0[k] > 0 && a > 0 && b > 0)
      errors.push(Math.abs(hzToCents(out.f0[k]) - hzToCents(a) * (1 - u) - hzToCents(b) * u - wanted));
  }
  return errors;
}

/** Whether two stretches are the same bits; the test library's own comparison is slow on long arrays. */
const same = (a: Float32Array, b: Float32Array) => a.length === b.length && a.every((v, i) => Object.is(v, b[i]));

const rms = (x: Float32Array) => Math.sqrt(x.reduce((s, v) => s + v * v, 0) / x.length);

describe('the voice engine', () => {
  it('makes the very same of whole numbers as of floats, copied, moved and bent in time', () => {
    const time = TimeMap.through([
      { from: 0, to: 0 },
      { from: 0.8, to: 0.9 },
      { from: 2, to: 2 },
    ]);
    const right = samples.map((v, i) => samples[Math.max(0, i - 40)] / 2 + v / 4);
    for (const bits of [16, 24]) {
      const floats = [samples, right].map(c => c.map(v => Math.round(v * 2 ** (bits - 1)) / 2 ** (bits - 1) + 0));
      const held = floats.map(packSamples);
      expect(held.some(isFloats)).toBe(false);
      const [as, wanted] = [held, floats].map(channels => analyseVoice(channels, rate, reading.f0, reading.hop));
      for (const plan of [shifted(0), shifted(180), shifted(0, { time }), shifted(-300, { time })])
        expect(renderAll(as, plan).every((c, i) => same(c, renderAll(wanted, plan)[i]))).toBe(true);
      const [live, too] = [as, wanted].map(a => a.snapshot(0.3 * rate, 0.5 * rate));
      expect(live.source.every((c, i) => same(c, too.source[i]))).toBe(true);
    }
  });

  it('makes only numbers, whatever a plan holds', () => {
    const plan = shifted(120, { levelDb: new Float32Array(frames) });
    plan.offsetCents.fill(NaN, 60, 90);
    plan.levelDb!.fill(-Infinity, 100, 110);
    const [y] = renderAll(analysis, plan);
    expect(y.findIndex(v => !Number.isFinite(v))).toBe(-1);
    const [clean] = renderAll(analysis, shifted(120));
    expect(Array.from(y.subarray(y.length - 4800))).toEqual(Array.from(clean.subarray(y.length - 4800)));
  });

  it('changes no bit when nothing is asked', () => {
    expect(same(renderAll(analysis, shifted(0))[0], samples)).toBe(true);
  });

  it.each([-7, 4, 12])('shifts by %d semitones to within cents, at the same level', semitones => {
    const [y] = renderAll(analysis, shifted(semitones * 100));
    const errors = pitchErrors(y, semitones * 100);
    expect(median(errors)).toBeLessThan(2);
    expect(quantile(errors, 0.9)).toBeLessThan(10);
    expect(Math.abs(20 * Math.log10(rms(y) / rms(samples)))).toBeLessThan(1.2);
  });

  it('leaves unpitched sounds bit for bit', () => {
    const [y] = renderAll(analysis, shifted(300));
    const noise = reading.noises.filter(n => n.kind !== 'plosive' && n.end - n.start > 0.06);
    expect(noise.length).toBeGreaterThan(0);
    for (const n of noise) {
      const a = Math.round((n.start + 0.02) * rate);
      const b = Math.round((n.end - 0.03) * rate);
      expect(same(y.slice(a, b), samples.slice(a, b))).toBe(true);
    }
  });

  it('touches only the edited note and its joins, and lands without a click', () => {
    const note = reading.notes.find(n => n.end - n.start > 0.4)!;
    const plan = neutralPlan(frames, reading.hop);
    const [a, b] = [Math.round(note.start / reading.hop), Math.round(note.end / reading.hop)];
    plan.offsetCents.fill(80, a, b);
    plan.active.fill(1, a, b);
    const [y] = renderAll(analysis, plan);
    const margin = Math.round(0.025 * rate);
    const [from, to] = [Math.round(note.start * rate) - margin, Math.round(note.end * rate) + margin];
    expect(same(y.slice(0, from), samples.slice(0, from))).toBe(true);
    expect(same(y.slice(to), samples.slice(to))).toBe(true);
    expect(same(y.slice(from, to), samples.slice(from, to))).toBe(false);
    // a click is a step the voice itself never makes
    const steepest = (x: Float32Array) => x.reduce((s, v, i) => Math.max(s, i ? Math.abs(v - x[i - 1]) : 0), 0);
    expect(steepest(y.slice(from, to))).toBeLessThan(1.6 * steepest(samples.slice(from, to)));
  });

  it('gives the same samples in one piece and in many', () => {
    const layout = layOut(analysis, shifted(-250));
    const whole = new Float32Array(layout.length);
    renderSpan(analysis, layout, 0, 0, layout.length, whole);
    const from = Math.round(1.1 * rate);
    const to = Math.round(2.3 * rate);
    const pieces = new Float32Array(to - from);
    for (let u = from; u < to; u += 128)
      renderSpan(analysis, layout, 0, u, Math.min(to, u + 128), pieces.subarray(u - from));
    expect(same(pieces, whole.slice(from, to))).toBe(true);
  });

  it.each([0.7, 2])('stretches to %d times the length at the same pitch', stretch => {
    const [y] = renderAll(analysis, shifted(0, { time: TimeMap.stretch(stretch, samples.length / rate) }));
    expect(y.length).toBe(Math.round(samples.length * stretch));
    expect(median(pitchErrors(y, 0, stretch))).toBeLessThan(4);
  });

  it('moves formants and leaves the pitch', () => {
    const [y] = renderAll(analysis, shifted(0, { formantCents: new Float32Array(frames).fill(300) }));
    expect(median(pitchErrors(y, 0))).toBeLessThan(2);
    expect(same(y, samples)).toBe(false);
  });

  it('keeps both channels of a stereo take locked', () => {
    const right = samples.map(v => v * 0.5);
    const stereo = analyseVoice([samples, right], rate, reading.f0, reading.hop);
    const [l, r] = renderAll(stereo, shifted(200));
    let worst = 0;
    for (let i = 0; i < l.length; i++) worst = Math.max(worst, Math.abs(l[i] * 0.5 - r[i]));
    expect(worst).toBeLessThan(1e-3);
  });
});
