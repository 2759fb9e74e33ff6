import { singPhrases } from '@essim/demo';
import { seededRandom } from '../signal/random';
import { stretchesOf } from '../signal/stretches';
import { alignFeatures, coarser, DIMS, FRAME, type AlignFeatures } from './features';

const { samples, truth } = singPhrases([1, 2], { seed: 57 });
const seconds = samples.length / truth.sampleRate;
const f0 = Float32Array.from(truth.f0);
const look = (x: Float32Array, pitch: Float32Array | undefined = f0) =>
  alignFeatures(x, truth.sampleRate, seconds, pitch);
const sung = look(samples);
const frameOf = (t: number) => Math.round(t / FRAME);
const share = (flags: Uint8Array, from: number, to: number) => {
  const part = flags.subarray(frameOf(from), frameOf(to));
  return part.reduce((s, v) => s + v, 0) / part.length;
};

describe('what is compared of a take', () => {
  test('does not depend on how loud it was recorded', () => {
    const louder = look(samples.map(v => 3 * v));
    expect(louder.silent).toEqual(sung.silent);
    let most = 0;
    louder.values.forEach((v, i) => (most = Math.max(most, Math.abs(v - sung.values[i]))));
    expect(most).toBeLessThan(0.02);
  });

  test('takes two silences for alike, whatever noise they are made of', () => {
    const random = seededRandom(8);
    const hiss = look(samples.map(v => v + 2e-4 * random.normal()));
    const rest = truth.words.findIndex((w, i) => i > 0 && w.start - truth.words[i - 1].end > 0.5);
    const middle = frameOf((truth.words[rest - 1].end + truth.words[rest].start) / 2 - 0.1);
    const apart = (a: AlignFeatures, b: AlignFeatures, i: number, j: number) =>
      Math.hypot(...Array.from({ length: DIMS }, (_, d) => a.values[i * DIMS + d] - b.values[j * DIMS + d]));
    const vowel = frameOf((truth.notes[2].start + truth.notes[2].end) / 2);
    expect(sung.silent[middle] + hiss.silent[middle]).toBe(2);
    expect(apart(sung, hiss, middle, middle)).toBeLessThan(0.5 * apart(sung, hiss, vowel, middle));
  });

  test('knows where it is silent, where it hisses and where it is sung', () => {
    for (const n of truth.notes.filter(k => k.end - k.start > 0.2))
      expect(share(sung.silent, n.start + 0.05, n.end - 0.05)).toBeLessThan(0.05);
    for (const n of truth.noises.filter(k => k.kind === 'sibilant' && k.end - k.start > 0.07))
      expect(share(sung.hissing, n.start + 0.02, n.end - 0.02)).toBeGreaterThan(0.7);
    sung.pitch.forEach((p, k) => expect(Number.isNaN(p)).toBe(!(f0[k] > 0)));
    expect(sung.pitch[frameOf((truth.notes[0].start + truth.notes[0].end) / 2)]).toBeCloseTo(truth.notes[0].sung, 0);
  });

  test('changes most where words begin', () => {
    const near = (t: number) => Math.max(...sung.change.subarray(frameOf(t) - 8, frameOf(t) + 9));
    const usual = [...sung.change].sort((a, b) => a - b)[Math.floor(0.75 * sung.frames)];
    const begun = truth.words.filter(w => near(w.start) > usual);
    expect(begun.length / truth.words.length).toBeGreaterThan(0.8);
  });

  test('is as long as it is asked to be, silent beyond the take', () => {
    const longer = alignFeatures(samples, truth.sampleRate, seconds + 2, f0);
    expect(longer.frames).toBe(Math.floor((seconds + 2) / FRAME) + 1);
    expect(share(longer.silent, seconds + 0.2, seconds + 1.9)).toBe(1);
  });

  test('is the same of a sound that is looked at in stretches', () => {
    expect(alignFeatures(stretchesOf(samples), truth.sampleRate, seconds, f0)).toEqual(sung);
  });

  test('put together, frames are their means, silent where most of them are', () => {
    const { frames, values, silent } = coarser(sung, 4);
    expect(frames).toBe(Math.ceil(sung.frames / 4));
    for (const k of [3, 100, frames - 1]) {
      const of = Array.from({ length: 4 }, (_, i) => 4 * k + i).filter(i => i < sung.frames);
      const mean = of.reduce((s, i) => s + sung.values[i * DIMS + 5], 0) / of.length;
      expect(values[k * DIMS + 5]).toBeCloseTo(mean, 4);
      expect(silent[k]).toBe(of.reduce((s, i) => s + sung.silent[i], 0) * 2 > of.length ? 1 : 0);
    }
  });
});
