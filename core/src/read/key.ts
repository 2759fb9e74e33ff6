import type { Cents } from '../units';
import type { KeyEstimate, SungSpan } from './reading';

/** Temperley's key profiles (2001), major and minor. */
const PROFILES = {
  major: [0.748, 0.06, 0.488, 0.082, 0.67, 0.46, 0.096, 0.715, 0.104, 0.366, 0.057, 0.4],
  minor: [0.712, 0.084, 0.474, 0.618, 0.049, 0.46, 0.105, 0.747, 0.404, 0.067, 0.133, 0.33],
} as const;
const SOFT_CENTS = 30;
const LENGTH_POWER = 0.4;
const ENDS = 0.3;
const LAST_NOTE = 2;
/** A rest this long ends a phrase, s. */
const PHRASE_REST = 0.25;
const HIGHER_SCORE = 12;

/** The singer's whole tuning against A = 440 Hz: circular mean of the notes' deviations from the nearest semitone, by length. */
export function tuningOf(notes: SungSpan[]): Cents {
  let c = 0;
  let s = 0;
  for (const n of notes) {
    const angle = 2 * Math.PI * n.pitch;
    const weight = Math.sqrt(n.end - n.start);
    c += weight * Math.cos(angle);
    s += weight * Math.sin(angle);
  }
  return notes.length ? (100 * Math.atan2(s, c)) / (2 * Math.PI) : 0;
}

/** What a backing adds: how much of each pitch class sounds, in all, in the bass, and in the bass of the last seconds. */
export interface BackingPitch {
  chroma: Float64Array;
  bass: Float64Array;
  ending: Float64Array;
}
/** How much the backing counts beside the notes of a whole song. */
const BACKING = 1.3;
/** With this many notes the voice counts fully. */
const ENOUGH_NOTES = 24;

/**
 * Keys ranked by how well the notes fit: a soft pitch-class histogram against Temperley's profiles, plus where phrases end, which
 * tells relative keys apart, joined with the same of the backing when there is one. Confidence is a softmax over the scores.
 */
export function rankKeys(notes: SungSpan[], tuningCents: Cents, backing?: BackingPitch): KeyEstimate[] {
  const histogram = new Float64Array(12);
  const ends = new Float64Array(12);
  notes.forEach((n, i) => {
    const pitch = n.pitch - tuningCents / 100;
    const closes = i === notes.length - 1 || notes[i + 1].start - n.end > PHRASE_REST;
    for (let d = -1; d <= 1; d++) {
      const m = Math.round(pitch) + d;
      const near = Math.exp(-0.5 * (((pitch - m) * 100) / SOFT_CENTS) ** 2);
      const step = ((m % 12) + 12) % 12;
      histogram[step] += near * (n.end - n.start) ** LENGTH_POWER;
      if (closes) ends[step] += near * (i === notes.length - 1 ? 1 + LAST_NOTE : 1);
    }
  });
  const endSum = ends.reduce((a, b) => a + b, 0) || 1;
  const scored = Array.from({ length: 24 }, (_, i) => {
    const tonic = i % 12;
    const mode: 'major' | 'minor' = i < 12 ? 'major' : 'minor';
    const end =
      (ends[tonic] + 0.35 * ends[(tonic + 7) % 12] + 0.25 * ends[(tonic + (mode === 'minor' ? 3 : 4)) % 12]) / endSum;
    let score = notes.length ? correlation(histogram, PROFILES[mode], tonic) + 2 * ENDS * end : 0;
    if (backing) {
      const share = (rows: Float64Array, step: number) => rows[step % 12] / (rows.reduce((a, b) => a + b, 0) || 1);
      score *= Math.min(1, notes.length / ENOUGH_NOTES);
      score +=
        BACKING *
        (correlation(backing.chroma, PROFILES[mode], tonic) +
          share(backing.bass, tonic) +
          0.3 * share(backing.bass, tonic + 7) +
          0.7 * share(backing.ending, tonic));
    }
    return { tonic, mode, score };
  }).sort((a, b) => b.score - a.score);
  const exp = scored.map(k => Math.exp(HIGHER_SCORE * (k.score - scored[0].score)));
  const sum = exp.reduce((a, b) => a + b, 0);
  return scored.map(({ tonic, mode }, i) => ({ tonic, mode, confidence: notes.length || backing ? exp[i] / sum : 0 }));
}

function correlation(histogram: Float64Array, profile: readonly number[], tonic: number): number {
  const meanH = histogram.reduce((a, b) => a + b, 0) / 12;
  const meanP = profile.reduce((a, b) => a + b, 0) / 12;
  let xy = 0;
  let xx = 0;
  let yy = 0;
  for (let i = 0; i < 12; i++) {
    const a = histogram[(i + tonic) % 12] - meanH;
    const b = profile[i] - meanP;
    xy += a * b;
    xx += a * a;
    yy += b * b;
  }
  return xy / Math.sqrt(xx * yy + 1e-12);
}
