import { median } from '../signal/statistics';
import type { Seconds } from '../units';
import { eachSpectrum, loweredTo } from './spectrum';

const FRAME = 1024;
const HOP = 256;
const BANDS = 36;
/** The prior's middle, beats a minute, and its width in octaves. */
const USUAL_BPM = 112;
const PRIOR_OCTAVES = 0.9;
const SLOWEST = 45;
const FASTEST = 220;
/** How strongly beats keep to the tempo (Ellis 2007, alpha). */
const TIGHTNESS = 420;

export interface TempoEstimate {
  bpm: number;
  /** 0..1: how regular the beats are and how clear their tempo. */
  confidence: number;
  /** Set when half or twice the tempo is nearly as likely; the user should look. */
  alsoBpm: number | null;
  beats: Seconds[];
  beatsPerBar: 3 | 4;
  /** A beat that begins a bar, near the song's start; at or after -half a beat. */
  firstBarSeconds: Seconds;
}

/** How much begins in each frame: rises of log energy summed over bands. */
export interface OnsetEnvelope {
  strength: Float64Array;
  /** The same for the bass alone, below 150 Hz. */
  bass: Float64Array;
  /** Frames a second. */
  rate: number;
}

/** Log-band spectral flux at about 90 frames a second. */
export function onsetEnvelope(samples: Float32Array, sampleRate: number): OnsetEnvelope {
  const { x, rate } = loweredTo(samples, sampleRate, 22050);
  const frames = Math.ceil(x.length / HOP);
  const strength = new Float64Array(frames);
  const bass = new Float64Array(frames);
  const edges = Array.from({ length: BANDS + 1 }, (_, i) =>
    Math.max(i + 1, Math.round(((40 * (9000 / 40) ** (i / BANDS)) / rate) * FRAME)),
  );
  const before = new Float64Array(BANDS).fill(-9);
  const earlier = new Float64Array(BANDS).fill(-9);
  const bassBands = edges.findIndex(e => (e / FRAME) * rate > 150);
  eachSpectrum(x, FRAME, HOP, (k, m) => {
    for (let b = 0; b < BANDS; b++) {
      let e = 0;
      for (let i = edges[b]; i < Math.max(edges[b] + 1, edges[b + 1]); i++) e += m[i] * m[i];
      const level = Math.log10(1e-4 + e);
      const rise = Math.max(0, level - Math.min(before[b], earlier[b] + 0.3));
      strength[k] += rise;
      if (b < bassBands) bass[k] += rise;
      earlier[b] = before[b];
      before[b] = level;
    }
  });
  return { strength: whitened(strength, rate / HOP), bass: whitened(bass, rate / HOP), rate: rate / HOP };
}

/** Over its own mean of a second about it, never below zero. */
function whitened(e: Float64Array, rate: number): Float64Array {
  const reach = Math.round(rate / 2);
  const sums = new Float64Array(e.length + 1);
  for (let i = 0; i < e.length; i++) sums[i + 1] = sums[i] + e[i];
  let square = 0;
  const out = e.map((v, i) => {
    const a = Math.max(0, i - reach);
    const b = Math.min(e.length, i + reach + 1);
    return Math.max(0, v - (sums[b] - sums[a]) / (b - a));
  });
  for (const v of out) square += v * v;
  const rms = Math.sqrt(square / Math.max(1, e.length)) || 1;
  return out.map(v => v / rms);
}

/**
 * Tempo, beats and bars of a backing: autocorrelation of the onset envelope under a log-normal prior, then beats by dynamic
 * programming (Ellis 2007, "Beat tracking by dynamic programming"), the tempo from a line through them.
 * @param changeAt how much the harmony changes at a moment: bars begin where it does
 * @returns null when nothing regular is heard
 */
export function estimateTempo(
  onsets: OnsetEnvelope,
  changeAt: (seconds: Seconds, beatSeconds: Seconds) => number = () => 0,
): TempoEstimate | null {
  const { strength, rate } = onsets;
  if (strength.length < rate * 4) return null;
  const scores = tempoScores(strength, rate);
  const best = scores.reduce((a, b) => (b.score > a.score ? b : a));
  if (!(best.score > 0)) return null;
  const beats = trackBeats(strength, 60 * (rate / best.bpm));
  if (beats.length < 6) return null;
  const line = regularLine(beats, strength);
  const bpm = (60 * rate) / line.period;
  const rival = scores
    .filter(s => Math.abs(Math.log2(s.bpm / best.bpm)) > 0.4)
    .reduce((a, b) => (b.score > a.score ? b : a), { bpm: 0, score: 0 });
  const octave = Math.round(Math.log2(rival.bpm / bpm || 1));
  const exact = Math.abs(rival.bpm / bpm / 2 ** octave - 1) < 0.04;
  const { beatsPerBar, phase, clarity } = findBars(onsets, beats, b => changeAt(b / rate, line.period / rate));
  const off =
    median(beats.map(b => Math.abs(b - line.start - Math.round((b - line.start) / line.period) * line.period))) /
    line.period;
  // the phase counts from the first tracked beat
  const first = line.start + (Math.round((beats[0] - line.start) / line.period) + phase) * line.period;
  const bar = beatsPerBar * line.period;
  // back to the earliest bar that begins in the song, give or take half a beat
  const back = Math.floor((first + line.period / 2) / bar);
  return {
    bpm: Math.abs(bpm - Math.round(bpm)) < 0.06 ? Math.round(bpm) : Math.round(bpm * 100) / 100,
    confidence: Math.max(0, Math.min(1, (1 - 6 * off) * Math.min(1, 0.5 + clarity))),
    alsoBpm:
      rival.score > 0.65 * best.score && octave !== 0 && exact ? Math.round(bpm * 2 ** octave * 100) / 100 : null,
    beats: beats.map(b => b / rate),
    beatsPerBar,
    firstBarSeconds: Math.abs(first - back * bar) / rate < 0.012 ? 0 : (first - back * bar) / rate,
  };
}

/** Every tempo on a fine grid with its support: autocorrelation at one, two and four beats times the prior. */
function tempoScores(e: Float64Array, rate: number): { bpm: number; score: number }[] {
  const longest = Math.min(e.length - 1, Math.ceil((4 * 60 * rate) / SLOWEST) + 2);
  const r = new Float64Array(longest + 1);
  for (let lag = 1; lag <= longest; lag++) {
    let s = 0;
    for (let i = lag; i < e.length; i++) s += e[i] * e[i - lag];
    r[lag] = s / (e.length - lag);
  }
  const at = (lag: number) => {
    const i = Math.floor(lag);
    return i + 1 > longest ? 0 : r[i] + (r[i + 1] - r[i]) * (lag - i);
  };
  const out = [];
  for (let bpm = SLOWEST; bpm <= FASTEST; bpm *= 1.004) {
    const lag = (60 * rate) / bpm;
    const prior = Math.exp(-0.5 * (Math.log2(bpm / USUAL_BPM) / PRIOR_OCTAVES) ** 2);
    out.push({ bpm, score: prior * (at(lag) + 0.5 * at(2 * lag) + 0.4 * at(4 * lag) - 0.35 * at(1.5 * lag)) });
  }
  return out;
}

/** Frames of beats about one period apart that lie on onsets, by dynamic programming. */
function trackBeats(e: Float64Array, period: number): number[] {
  const smooth = e.map((v, i) => 0.25 * (e[i - 1] ?? 0) + 0.5 * v + 0.25 * (e[i + 1] ?? 0));
  const total = new Float64Array(e.length);
  const from = new Int32Array(e.length).fill(-1);
  const near = Math.max(1, Math.round(period / 2));
  const far = Math.round(period * 2);
  for (let i = 0; i < e.length; i++) {
    let best = 0;
    for (let j = Math.max(0, i - far); j <= i - near; j++) {
      const miss = Math.log((i - j) / period);
      const score = total[j] - TIGHTNESS * miss * miss;
      if (score > best) [best, from[i]] = [score, j];
    }
    total[i] = smooth[i] + best;
  }
  let at = total.length - 1;
  for (let i = Math.max(0, e.length - far); i < e.length; i++) if (total[i] > total[at]) at = i;
  const beats: number[] = [];
  for (; at >= 0; at = from[at]) beats.unshift(centre(smooth, at));
  return beats;
}

/** Where a peak lies between frames. */
function centre(e: Float64Array, i: number): number {
  const [a, b, c] = [e[i - 1] ?? 0, e[i], e[i + 1] ?? 0];
  const bend = a - 2 * b + c;
  return bend < 0 ? i + Math.max(-0.5, Math.min(0.5, (0.5 * (a - c)) / bend)) : i;
}

/**
 * The line start + i * period through beats: the slope first as the median over pairs (Theil and Sen), then least squares over the
 * beats that lie near it, counted anew each time, each weighing as much as something begins there. Songs whose edges have no clear beat keep their tempo.
 */
function regularLine(beats: number[], e: Float64Array): { start: number; period: number } {
  const n = beats.length;
  const slopes: number[] = [];
  for (let i = 0; i < n; i++)
    for (let j = i + 2; j < Math.min(n, i + 9); j++) slopes.push((beats[j] - beats[i]) / (j - i));
  let period = median(slopes);
  // begun where the beats are most even, and followed outward: a slip by half a beat elsewhere stays out of it
  let start = beats[evenest(beats, period)];
  for (let round = 0; round < 6; round++) {
    const near = period * (round < 3 ? 0.15 : 0.07);
    let [w, wi, wb, wii, wib] = [0, 0, 0, 0, 0];
    beats.forEach(b => {
      const i = Math.round((b - start) / period);
      if (Math.abs(b - start - i * period) > near) return;
      const weight = 0.05 + Math.min(3, e[Math.round(b)] ?? 0);
      w += weight;
      wi += weight * i;
      wb += weight * b;
      wii += weight * i * i;
      wib += weight * i * b;
    });
    const spread = w * wii - wi * wi;
    if (!(spread > 1e-9)) break;
    period = (w * wib - wi * wb) / spread;
    start = (wb - period * wi) / w;
  }
  return { start, period };
}

/** Index of the beat whose surroundings keep the period best. */
function evenest(beats: number[], period: number): number {
  let best = 0;
  let least = Infinity;
  for (let i = 2; i + 2 < beats.length; i++) {
    let off = 0;
    for (let k = -2; k <= 2; k++) off += Math.abs(beats[i + k] - beats[i] - k * period);
    if (off < least) [least, best] = [off, i];
  }
  return best;
}

/** How much a change of harmony says about where a bar begins, beside what begins there. */
const CHANGE_WEIGHT = 2.5;

/** Three or four beats a bar, and which beat begins one: where the bass comes in and most begins. */
function findBars(
  onsets: OnsetEnvelope,
  beats: number[],
  changeAt: (frame: number) => number,
): { beatsPerBar: 3 | 4; phase: number; clarity: number } {
  const changes = beats.map(changeAt);
  const meanChange = changes.reduce((a, b) => a + b, 0) / changes.length || 1;
  const weight = beats.map((b, n) => {
    const i = Math.round(b);
    let bass = 0;
    let all = 0;
    for (let k = i - 3; k <= i + 3; k++) {
      bass = Math.max(bass, onsets.bass[k] ?? 0);
      all = Math.max(all, onsets.strength[k] ?? 0);
    }
    return bass + 0.5 * all + (CHANGE_WEIGHT * changes[n]) / meanChange;
  });
  const mean = weight.reduce((a, b) => a + b, 0) / weight.length || 1;
  let best = { beatsPerBar: 4 as 3 | 4, phase: 0, clarity: 0 };
  for (const beatsPerBar of [4, 3] as const)
    for (let phase = 0; phase < beatsPerBar; phase++) {
      const mine = weight.filter((_, i) => i % beatsPerBar === phase);
      const clarity = mine.reduce((a, b) => a + b, 0) / mine.length / mean - 1;
      // four is the usual case: three must be clearer by a margin
      if (clarity - (beatsPerBar === 3 ? 0.15 : 0) > best.clarity) best = { beatsPerBar, phase, clarity };
    }
  return best;
}
