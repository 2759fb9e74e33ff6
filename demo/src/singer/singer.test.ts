import { gainToDb, median } from '@essim/core';
import { backing, perform, singVocal, songScore, VOCALS } from '..';
import { glottisTables } from './glottis';
import { isVowel, PHONEMES } from './phonemes';

/** Level in dB over a span. */
const level = (x: Float32Array, rate: number, from: number, to: number) => {
  const part = x.subarray(Math.round(from * rate), Math.round(to * rate));
  return gainToDb(Math.sqrt(part.reduce((s, v) => s + v * v, 0) / part.length));
};

describe('the made-up singer', () => {
  const { samples, truth } = singVocal('lead');
  const rate = truth.sampleRate;

  it('sings about a minute: eight phrases, every word, finite and unclipped', () => {
    expect(truth.duration).toBeGreaterThan(55);
    expect(new Set(truth.words.map(w => w.phrase)).size).toBe(8);
    expect(truth.words).toHaveLength(47);
    expect(samples.every(v => Number.isFinite(v) && Math.abs(v) < 1)).toBe(true);
  });

  it('is the same every time', () => {
    const score = songScore({ seed: 3, phrases: [0] });
    const sing = () => perform(score, 'alto', { seed: 4, duration: 9 }).samples;
    const [a, b] = [sing(), sing()];
    expect(a.every((v, i) => v === b[i])).toBe(true);
  });

  it('knows its pitch: the period of the sound is that of the truth', () => {
    const off: number[] = [];
    for (const note of truth.notes.filter(n => n.end - n.start > 0.5 && n.mistake !== 'gritty')) {
      const at = note.start + 0.6 * (note.end - note.start);
      const f0 = truth.f0[Math.round(at / truth.hop)];
      const period = rate / f0;
      const centre = Math.round(at * rate);
      let best = 0;
      let bestLag = 0;
      for (let lag = Math.floor(period * 0.9); lag <= period * 1.1; lag++) {
        let r = 0;
        for (let i = -600; i < 600; i++) r += samples[centre + i] * samples[centre + i + lag];
        if (r > best) [best, bestLag] = [r, lag];
      }
      off.push(Math.abs(1200 * Math.log2(bestLag / period)));
    }
    expect(median(off)).toBeLessThan(8);
  });

  it('makes the mistakes it was asked for', () => {
    const marked = (m: string) => truth.notes.filter(n => n.mistake === m);
    expect(marked('flat')[0].sung - marked('flat')[0].midi).toBeLessThan(-0.2);
    expect(marked('sharp')[0].sung - marked('sharp')[0].midi).toBeGreaterThan(0.15);
    const [wrong] = marked('nearer the wrong semitone');
    expect(Math.round(wrong.sung)).not.toBe(wrong.midi);
    expect(truth.noises.some(n => n.glued)).toBe(true);
    expect(marked('gritty').length).toBeGreaterThan(3);
    const double = singVocal('double').truth.words.map(w => w.word);
    expect(double.filter(w => w === 'and')).toHaveLength(0);
  });

  it('breathes between phrases, well under the voice', () => {
    const voice = median(
      truth.notes.filter(n => n.end - n.start > 0.4).map(n => level(samples, rate, n.start + 0.1, n.end - 0.1)),
    );
    const breaths = truth.noises.filter(n => n.kind === 'breath');
    expect(breaths).toHaveLength(8);
    for (const b of breaths) {
      const db = level(samples, rate, b.start + 0.08, b.end - 0.05);
      expect(db).toBeLessThan(voice - 14);
      expect(db).toBeGreaterThan(voice - 45);
    }
  });

  it('transposes as the same singer really singing there', () => {
    const score = songScore({ seed: 3, phrases: [0] });
    const base = perform(score, 'tenor', { seed: 4, duration: 9 }).truth.f0;
    const up = perform(score, 'tenor', { seed: 4, duration: 9, transposeCents: 300 }).truth.f0;
    const both = [...base.keys()].filter(k => base[k] > 0 && up[k] > 0);
    expect(both.length).toBeGreaterThan(200);
    for (const k of both) expect(1200 * Math.log2(up[k] / base[k])).toBeCloseTo(300, 0);
  });
});

describe('its parts', () => {
  it('every syllable has one vowel in the table', () => {
    for (const s of songScore({ seed: 1 })) {
      const phones = s.phones.split(' ');
      for (const p of phones) expect(PHONEMES[p]).toBeDefined();
      expect(phones.filter(isVowel)).toHaveLength(1);
    }
  });

  it('glottal pulses have no constant flow', () => {
    for (const shape of glottisTables().pulses)
      for (const table of shape) {
        const sum = table.subarray(0, table.length - 1).reduce((a, b) => a + b, 0);
        expect(Math.abs(sum / table.length)).toBeLessThan(1e-4);
      }
  });

  it('the backing is stereo and not a voice', () => {
    const [l, r] = backing();
    expect(l.length).toBe(r.length);
    expect(l.some((v, i) => v !== r[i])).toBe(true);
    expect(Math.max(...[l, r].map(c => c.reduce((m, v) => Math.max(m, Math.abs(v)), 0)))).toBeLessThan(1);
  });

  it('knows no other vocals', () => {
    expect(VOCALS.map(v => v.name)).toEqual(['lead', 'lead-b', 'lead-c', 'double', 'harmony']);
    expect(() => singVocal('choir')).toThrow(/choir/);
  });
});
