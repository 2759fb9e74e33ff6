import { singPhrases, singVocal } from '@essim/demo';
import { compareReading } from '../../../bench/src/compare-reading';
import { seededRandom } from '../signal/random';
import { hzToCents } from '../units';
import { medianOf5, midline } from './midline';
import { rankKeys, tuningOf } from './key';
import { readTake } from './read';
import { Stopped, UnreadableTake, type SungSpan } from './reading';

describe('reading the demo lead', () => {
  const { samples, truth } = singVocal('lead');
  const reading = readTake(samples, truth.sampleRate);
  const score = compareReading(reading, truth);

  it('follows the pitch', () => {
    expect(score.within50).toBeGreaterThan(0.98);
    expect(score.medianCents).toBeLessThan(3);
    expect(score.recall).toBeGreaterThan(0.985);
    expect(score.falseAlarm).toBeLessThan(0.03);
  });

  it('has no constant lag', () => expect(Math.abs(score.lagMs)).toBeLessThanOrEqual(3));

  it('finds the notes', () => {
    expect(score.noteF1).toBeGreaterThan(0.85);
    expect(score.centreCents).toBeLessThan(3);
  });

  it('reads the gritty phrase in its octave', () => {
    const gritty = truth.notes.filter(n => n.mistake === 'gritty');
    const off = gritty.map(t =>
      Math.min(...reading.notes.filter(n => n.end > t.start && n.start < t.end).map(n => Math.abs(n.pitch - t.sung))),
    );
    expect(Math.max(...off)).toBeLessThan(1);
  });

  it('hears no voice in passing: whatever is voiced belongs to a note', () => {
    const { f0, hop, notes } = reading;
    const stray = Array.from(
      f0,
      (hz, k) => hz > 0 && !notes.some(n => k * hop > n.start - 0.08 && k * hop < n.end + 0.08),
    );
    expect(stray.filter(Boolean)).toHaveLength(0);
  });

  it('estimates the key', () => expect(reading.keys[0]).toMatchObject({ tonic: 2, mode: 'major' }));

  it('finds the breath glued to "I"', () => {
    const glued = truth.noises.find(n => n.glued)!;
    expect(reading.noises.some(n => n.kind === 'breath' && n.start < glued.end && n.end > glued.start)).toBe(true);
  });
});

describe('reading', () => {
  it.each(['bass', 'alto', 'soprano'])('reads a %s', voice => {
    const up = { bass: -8, alto: 5, soprano: 10 }[voice]!;
    const { samples, truth } = singPhrases([0, 5], { voice, transposeCents: up * 100 });
    const score = compareReading(readTake(samples, truth.sampleRate), truth);
    expect(score.within50).toBeGreaterThan(0.97);
    expect(score.medianCents).toBeLessThan(4);
  });

  it('is the same at any level and at other rates', () => {
    const { samples, truth } = singPhrases([2]);
    const loud = readTake(samples, truth.sampleRate);
    const quiet = readTake(
      samples.map(v => v * 0.02),
      truth.sampleRate,
    );
    expect(quiet.notes.map(n => Math.round(n.pitch * 10))).toEqual(loud.notes.map(n => Math.round(n.pitch * 10)));
    const doubled = new Float32Array(samples.length * 2);
    for (let i = 0; i + 1 < samples.length; i++) {
      doubled[2 * i] = samples[i];
      doubled[2 * i + 1] = (samples[i] + samples[i + 1]) / 2;
    }
    expect(compareReading(readTake(doubled, 96000), truth).within50).toBeGreaterThan(0.97);
  });

  it('keeps several candidates with their strengths', () => {
    const { samples, truth } = singPhrases([0]);
    const { candidates, f0 } = readTake(samples, truth.sampleRate);
    const voiced = Array.from(f0.keys()).filter(k => f0[k] > 0 && k % 2 === 0);
    const several = voiced.filter(k => candidates.count[k / 2] > 1).length;
    expect(several / voiced.length).toBeGreaterThan(0.9);
  });

  it('stops when asked, and says what it cannot read', () => {
    const { samples, truth } = singPhrases([0]);
    let calls = 0;
    expect(() => readTake(samples, truth.sampleRate, { onProgress: () => ++calls < 3 })).toThrow(Stopped);
    expect(() => readTake(new Float32Array(48000), 48000)).toThrow(UnreadableTake);
    expect(() => readTake(new Float32Array(0), 48000)).toThrow(/no sound/);
  });

  it('finds no notes in noise', () => {
    let s = 1;
    const noise = Float32Array.from({ length: 96000 }, () => (s = (s * 16807) % 2147483647) / 2147483647 - 0.5);
    expect(readTake(noise, 48000).notes).toHaveLength(0);
  });
});

describe('lines and keys', () => {
  it('replaces a vibrato by its middle and leaves a glide sharp', () => {
    const vibrato = Float64Array.from({ length: 200 }, (_, k) => 6000 + 40 * Math.sin(2 * Math.PI * 5.5 * k * 0.005));
    const middle = midline(medianOf5(vibrato));
    for (let k = 30; k < 170; k++) expect(Math.abs(middle[k] - 6000)).toBeLessThan(6);
    const step = Float64Array.from({ length: 100 }, (_, k) => (k < 50 ? 6000 : 6400));
    expect(Array.from(midline(step))).toEqual(Array.from(step));
  });

  it('ranks keys by notes, and measures a singer tuned flat', () => {
    const degrees = [57, 59, 61, 62, 64, 66, 67, 66, 64, 62, 61, 62];
    const notes: SungSpan[] = degrees.map((m, i) => ({
      start: i * 0.5,
      end: i * 0.5 + (i === 11 ? 1 : 0.5),
      pitch: m - 0.2,
    }));
    expect(tuningOf(notes)).toBeCloseTo(-20, 0);
    expect(rankKeys(notes, tuningOf(notes))[0]).toMatchObject({ tonic: 2, mode: 'major' });
    expect(rankKeys([], 0)[0].confidence).toBe(0);
    expect(hzToCents(440)).toBe(6900);
  });
});

describe('a breath stuck to a note', () => {
  it('is cut off by itself', () => {
    const marks = { '7.0': { breath: { gap: -0.012, length: 0.42, levelDb: -12 } } };
    const { samples: sung, truth: known } = singPhrases([7], { seed: 77, marks });
    const stuck = known.noises.find(n => n.glued)!;
    const { noises, notes } = readTake(sung, known.sampleRate);
    const breath = noises.find(n => n.kind === 'breath' && n.start < stuck.end && n.end > stuck.start)!;
    expect(Math.abs(breath.start - stuck.start)).toBeLessThan(0.03);
    expect(Math.abs(breath.end - stuck.end)).toBeLessThan(0.03);
    expect(notes.find(n => n.end > stuck.end)!.start).toBeGreaterThan(stuck.end - 0.03);
  });
});

/** Syllables of one throat, pulses through four formants, two steps of a major scale apart. @param hz of the first */
function syllables(hz: number): { x: Float32Array; at: (t: number) => number } {
  const rate = 48000;
  const random = seededRandom(7);
  const at = (t: number) => (t % 0.8 < 0.65 ? hz * 2 ** (((Math.floor(t / 0.8) % 3) * (hz > 1000 ? -2 : 2)) / 12) : 0);
  const formants = [
    [600, 80],
    [1100, 110],
    [2500, 160],
    [3300, 250],
  ].map(([f, width]) => {
    const r = Math.exp((-Math.PI * width) / rate);
    return { a: 2 * r * Math.cos((2 * Math.PI * f) / rate), b: -r * r, y1: 0, y2: 0 };
  });
  let phase = 0;
  const x = Float32Array.from({ length: 5 * rate }, (_, i) => {
    const f = at(i / rate);
    const before = Math.floor(phase);
    phase += f / rate;
    const v = (Math.floor(phase) > before ? 1 / Math.sqrt(f) : 0) + 1e-4 * (random.uniform() - 0.5);
    return formants.reduce((sum, g, k) => {
      const y = v + g.a * g.y1 + g.b * g.y2;
      [g.y2, g.y1] = [g.y1, y];
      return sum + (k % 2 ? -y : y) / (k + 1);
    }, 0);
  });
  const peak = x.reduce((m, v) => Math.max(m, Math.abs(v)), 0);
  return { x: x.map(v => (0.5 * v) / peak), at };
}

describe('a voice of any height, on the automatic range', () => {
  it.each([45, 50, 58, 70, 900, 1330])('of %i Hz is read at its own octave', hz => {
    const { x, at } = syllables(hz);
    const { f0, hop } = readTake(x, 48000);
    let [all, right] = [0, 0];
    f0.forEach((v, k) => {
      const [before, here, after] = [-0.03, 0, 0.03].map(d => at(k * hop + d));
      if (!here || before !== here || after !== here) return;
      all++;
      if (v > 0 && Math.abs(hzToCents(v) - hzToCents(here)) < 50) right++;
    });
    expect(right / all).toBeGreaterThan(0.98);
  });
});
