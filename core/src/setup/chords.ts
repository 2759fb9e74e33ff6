import { stepName, stepsOf, type Key } from '../music';
import type { Seconds } from '../units';
import { chromaBetween, type Chroma } from './chroma';

/** Kinds of chord that are looked for: suffix of the name and steps above the root. */
const KINDS = [
  { suffix: '', steps: [0, 4, 7], cost: 0 },
  { suffix: 'm', steps: [0, 3, 7], cost: 0 },
  { suffix: '7', steps: [0, 4, 7, 10], cost: 0.25 },
  { suffix: 'maj7', steps: [0, 4, 7, 11], cost: 0.3 },
  { suffix: 'm7', steps: [0, 3, 7, 10], cost: 0.25 },
  { suffix: 'dim', steps: [0, 3, 6], cost: 0.35 },
] as const;
const BASS_WEIGHT = 0.5;
const CHANGE_COST = 0.9;
const KEY_WEIGHT = 0.35;
const SHARPNESS = 7;
const SILENT_SUM = 0.05;

export interface ChordEstimate {
  start: Seconds;
  /** "D", "Bm", "A7"; "–" where nothing sounds. */
  name: string;
  /** 0..1. */
  confidence: number;
}

/**
 * Chords beat by beat: mean chroma and bass of each beat against chord templates, smoothed by a hidden Markov model that prefers to
 * stay, to change on strong beats, and to keep to the key (Bello and Pickens 2005 for the model's shape).
 * @param beats times of the beats; chords are looked for between them
 */
export function estimateChords(
  chroma: Chroma,
  beats: readonly Seconds[],
  {
    key = null,
    beatsPerBar = 4,
    firstBarBeat = 0,
  }: { key?: Key | null; beatsPerBar?: number; firstBarBeat?: number } = {},
): ChordEstimate[] {
  if (beats.length < 2) return [];
  const all = chromaBetween(chroma.all, chroma.frames, chroma.rate, beats);
  const bass = chromaBetween(chroma.bass, chroma.frames, chroma.rate, beats);
  const inKey = key ? new Set(stepsOf(key)) : null;
  const states = KINDS.flatMap((kind, k) =>
    Array.from({ length: 12 }, (_, root) => {
      const steps = kind.steps.map(s => (root + s) % 12);
      const outside = inKey ? steps.filter(s => !inKey.has(s)).length : 0;
      return { root, kind: k, steps, cost: kind.cost + KEY_WEIGHT * outside };
    }),
  );
  const fit = all.map((row, b) =>
    states.map(s => {
      const sum = row.reduce((a, v) => a + v, 0);
      if (sum < SILENT_SUM) return 0;
      const norm = Math.sqrt(row.reduce((a, v) => a + v * v, 0) * s.steps.length) || 1;
      const match = s.steps.reduce((a, step) => a + row[step], 0) / norm;
      const low = bass[b];
      const bassMatch = low[s.root] + 0.35 * low[(s.root + 7) % 12];
      return SHARPNESS * (match + BASS_WEIGHT * bassMatch) - s.cost;
    }),
  );
  const path = viterbi(fit, b => CHANGE_COST * ((b - firstBarBeat) % beatsPerBar === 0 ? 0.5 : b % 2 ? 1.6 : 1));
  const out: ChordEstimate[] = [];
  path.forEach((s, b) => {
    const silent = all[b].reduce((a, v) => a + v, 0) < SILENT_SUM;
    const name = silent ? '–' : stepName(states[s].root, key) + KINDS[states[s].kind].suffix;
    const ranked = [...fit[b]].sort((x, y) => y - x);
    const confidence = silent
      ? 1
      : 1 / (1 + Math.exp(-2 * (fit[b][s] - (ranked[0] === fit[b][s] ? ranked[1] : ranked[0]))));
    const last = out[out.length - 1];
    if (last?.name !== name) out.push({ start: beats[b], name, confidence });
    else last.confidence = Math.max(last.confidence, confidence);
  });
  return out;
}

/** Best path where every change of state costs the same. */
function viterbi(score: number[][], changeCost: (beat: number) => number): number[] {
  let total = score[0].slice();
  const from: Int32Array[] = [];
  for (let b = 1; b < score.length; b++) {
    const best = total.reduce((m, v, i) => (v > total[m] ? i : m), 0);
    const jump = total[best] - changeCost(b);
    const back = new Int32Array(total.length);
    total = score[b].map((v, s) => {
      back[s] = total[s] >= jump ? s : best;
      return v + Math.max(total[s], jump);
    });
    from.push(back);
  }
  let at = total.reduce((m, v, i) => (v > total[m] ? i : m), 0);
  const path = [at];
  for (let b = from.length - 1; b >= 0; b--) path.unshift((at = from[b][at]));
  return path;
}
