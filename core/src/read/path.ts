import { quantile } from '../signal/statistics';
import { OCTAVE_COST } from './candidates';
import { CANDIDATES_PER_FRAME as MOST, type Candidates } from './reading';

/** Prices of a path through the candidates. */
const COMB_SHARE = 0.5;
const UNVOICED = 0.5;
const SWITCH = 0.14;
const JUMP_PER_OCTAVE = 0.6;
/** A reading is charged when its octave above is well supported too: half-rate pulses of a rough voice. */
export const HALF_RATE = 0.2;
/**
 * So far above what is surely periodic, and so much less periodic itself, is no voice but a formant that rings between the pulses of a
 * very low one; that it lies higher speaks for nothing.
 */
const RINGING_OCTAVES = 2.1;
const RINGING_LESS = 0.2;
const SURELY_PERIODIC = 0.85;
const WITH_HARMONICS = 0.35;
/** A rough voice, too, is surest at a fraction of its pitch, but then at others between as well. */
const BETWEEN_OCTAVES = 0.6;
const ROUGH = 0.5;
const FAR_SEMITONES = 15;
const FAR_PER_SEMITONE = 0.03;
const USUAL_LOG2_HZ = 7.8;
/** Under it few sing, and much that is no voice repeats: before it is known who sings it costs something, and for whoever sings higher it is none. */
const RARE_LOG2_HZ = Math.log2(60);
/** What is fainter than a take is loud may be a rumble up to here, the more so the fainter, dB. */
const RUMBLE_LOG2_HZ = Math.log2(80);
const RUMBLE_DB = [12, 22];
const RARE = 0.1;
const NOT_RARE_FROM = Math.log2(85);

/** Who sings is told by what is no fainter than this under the loudest tenth, dB. */
const MIDDLE_DB = 14;

export interface LevelGate {
  /** Below it nothing counts as voice, dB. */
  gate: number;
  /** What the loudest tenth reaches, dB. */
  loud: number;
}

/** Levels of this take. */
export function levelGate(levelDb: Float32Array): LevelGate {
  const loud = quantile(levelDb, 0.9);
  const quiet = quantile(levelDb, 0.05);
  return { gate: Math.max(loud - 46, Math.min(quiet + 6, loud - 25)), loud };
}

/**
 * The likeliest path through the candidates, by two Viterbi passes: the first finds the singer's middle, the second charges what
 * lies far from it.
 * @returns per 10 ms frame the index of the chosen candidate, -1 where unvoiced
 */
export function choosePath(c: Candidates, levelDb: Float32Array, level: LevelGate): Int8Array {
  const halfRate = halfRateCosts(c);
  const first = viterbi(c, levelDb, level, halfRate);
  const sure: number[] = [];
  first.forEach((j, k) => {
    if (j < 0 || c.periodicity[k * MOST + j] <= 0.8 || levelDb[2 * k] < level.loud - MIDDLE_DB) return;
    sure.push(Math.log2(c.hz[k * MOST + j]));
  });
  return sure.length > 40 ? viterbi(c, levelDb, level, halfRate, quantile(sure, 0.5)) : first;
}

function halfRateCosts(c: Candidates): Float32Array {
  const out = new Float32Array(c.hz.length);
  for (let k = 0; k < c.count.length; k++) {
    const b = k * MOST;
    for (let j = 0; j < c.count[k]; j++)
      for (let i = 0; i < c.count[k]; i++) {
        if (c.hz[b + i] < 1.9 * c.hz[b + j] || Math.abs(c.hz[b + i] / c.hz[b + j] - 2) >= 0.07) continue;
        const support = Math.max(0, Math.min(1, c.harmonicity[b + i] / 0.5)) * Math.min(1, c.periodicity[b + i] / 0.45);
        out[b + j] = Math.max(out[b + j], HALF_RATE * support);
      }
  }
  return out;
}

function viterbi(
  c: Candidates,
  levelDb: Float32Array,
  { gate, loud }: LevelGate,
  halfRate: Float32Array,
  middle?: number,
): Int8Array {
  const frames = c.count.length;
  const states = MOST + 1;
  const back = new Int8Array(frames * states);
  const pitch = new Float64Array(c.hz.length);
  for (let i = 0; i < pitch.length; i++) pitch[i] = c.hz[i] > 0 ? Math.log2(c.hz[i]) : 0;
  let cost = new Float64Array(states);
  let next = new Float64Array(states);
  for (let k = 0; k < frames; k++) {
    const m = c.count[k];
    const before = k ? c.count[k - 1] : 0;
    const b = k * MOST;
    const under = Math.max(0, (gate - levelDb[2 * k]) / 12);
    const faint = (loud - levelDb[2 * k] - RUMBLE_DB[0]) / (RUMBLE_DB[1] - RUMBLE_DB[0]);
    const rare = RARE_LOG2_HZ + (RUMBLE_LOG2_HZ - RARE_LOG2_HZ) * Math.min(1, Math.max(0, faint));
    let top = b;
    for (let j = b + 1; j < b + m; j++) if (c.periodicity[j] > c.periodicity[top]) top = j;
    const highest = m ? c.periodicity[top] : 0;
    let veryLow = highest > SURELY_PERIODIC && c.harmonicity[top] > WITH_HARMONICS;
    for (let j = b; veryLow && j < b + m; j++) {
      const over = pitch[j] - pitch[top];
      veryLow = !(over > BETWEEN_OCTAVES && over < RINGING_OCTAVES && c.periodicity[j] > ROUGH);
    }
    const ringsFrom = veryLow ? pitch[top] + RINGING_OCTAVES : Infinity;
    // the cheapest way from a voice into silence, or from silence on
    let [ended, last] = [Infinity, 0];
    for (let i = 0; i < before; i++) if (cost[i] < ended) [ended, last] = [cost[i], i];
    ended += SWITCH;
    for (let j = 0; j < m; j++) {
      const height = pitch[b + j];
      const rings = height > ringsFrom && c.periodicity[b + j] < highest - RINGING_LESS;
      let local =
        1 - (1 - COMB_SHARE) * c.periodicity[b + j] - COMB_SHARE * c.harmonicity[b + j] * highest + halfRate[b + j];
      local += OCTAVE_COST * ((middle ?? USUAL_LOG2_HZ) - (rings ? pitch[top] : height)) + Math.min(1, under * 0.5);
      if (height < rare && !(middle && middle < NOT_RARE_FROM)) local += middle ? 1 : RARE;
      if (middle) local += Math.max(0, Math.abs(height - middle) * 12 - FAR_SEMITONES) * FAR_PER_SEMITONE;
      let best = k ? cost[before] + SWITCH : 0;
      let from = before;
      for (let i = 0; i < before; i++) {
        const way = cost[i] + JUMP_PER_OCTAVE * Math.min(2, Math.abs(height - pitch[b - MOST + i]));
        if (way < best) {
          best = way;
          from = i;
        }
      }
      next[j] = best + local;
      back[k * states + j] = from;
    }
    const rest = k ? Math.min(ended, cost[before]) : 0;
    next[m] = rest + Math.max(0, 1 - UNVOICED - under * 0.5);
    back[k * states + m] = ended < cost[before] ? last : before;
    [cost, next] = [next, cost];
  }
  const path = new Int8Array(frames);
  let j = 0;
  for (let i = 1; i <= c.count[frames - 1]; i++) if (cost[i] < cost[j]) j = i;
  for (let k = frames - 1; k >= 0; k--) {
    path[k] = j < c.count[k] ? j : -1;
    j = back[k * states + j];
  }
  return path;
}
