import { hzToMidi } from '../units';
import { OCTAVE_COST } from './candidates';
import { HALF_RATE } from './path';
import { CANDIDATES_PER_FRAME as MOST, HOP, type Candidates } from './reading';
import { runsOf } from './reading';

/** Other pitches a stretch may really have: an octave or two below, a twelfth either way, an octave above. */
const SHIFTS = [0, 12, -12, -24, 19, -19];
/** A shift counts when this share of frames has a candidate within half a semitone of it. */
const LEAST_SUPPORT = 0.6;
const NEAR_SEMITONES = 0.8;
/** Frames whose pitch jumps by more than this begin another stretch. */
const BREAK_SEMITONES = 4;
/** Leaps up to this are free, beyond it cost per semitone: little in a clean voice, much where the voice is rough. */
const FREE_LEAP = 7;
const LEAP_PRICE = 0.038;
const ROUGH_LEAP_PRICE = 0.3;
const REACH_SECONDS = 4;
const FORGET_SECONDS = 2.5;
/** A stretch so far under the take's loudness is more likely another sound in the room: it has no say. */
const FAINT_DB = 30;
/** Spill: stretches shorter than this and further under the loudness. */
const SPILL_SECONDS = 0.6;
const SPILL_DB = 32;
/** A scrap says nothing of its neighbours' octave, but goes along with one so near and near its pitch so moved. */
const SHORTEST_SECONDS = 0.08;
const BESIDE_SECONDS = 0.06;
const SCRAP_SEMITONES = 1.5;
const SCRAP_UNDER_DB = 8;
const SIDE_FRAMES = 12;

interface Stretch {
  start: number;
  end: number;
  /** MIDI pitch where it begins and ends. */
  first: number;
  last: number;
  options: { shift: number; cost: number }[];
  /** How strongly the octave below is supported too, 0..1: the half-rate pulses of a rough voice. */
  roughness: number;
}

/**
 * Decides the octave of whole stretches from their neighbours. A gritty note may be more periodic an octave too low than at its own
 * pitch, so that no frame by itself can tell; its neighbours can. Changes f0 in place.
 */
export function settleOctaves(f0: Float32Array, c: Candidates, levelDb: Float32Array, loudDb: number): void {
  settleStretches(f0, c, levelDb, loudDb);
  takeScrapsAlong(f0, c, levelDb);
}

function settleStretches(f0: Float32Array, c: Candidates, levelDb: Float32Array, loudDb: number): void {
  const stretches = stretchesOf(f0)
    .filter(([a, z]) => (z - a) * HOP >= SHORTEST_SECONDS && highest(levelDb, a, z) > loudDb - FAINT_DB)
    .map(([a, z]) => describe(f0, c, a, z));
  if (stretches.length < 2) return;
  const rough = stretches.map(s => regionRoughness(s, stretches));
  let costs = stretches[0].options.map(o => o.cost);
  const back: number[][] = [[]];
  for (let i = 1; i < stretches.length; i++) {
    const a = stretches[i - 1];
    const b = stretches[i];
    const price =
      (LEAP_PRICE + ROUGH_LEAP_PRICE * Math.max(rough[i - 1], rough[i])) *
      Math.exp((-(b.start - a.end) * HOP) / FORGET_SECONDS);
    back.push([]);
    costs = b.options.map((to, j) => {
      let best = Infinity;
      a.options.forEach((from, h) => {
        const leap = Math.abs(b.first + to.shift - a.last - from.shift);
        const cost = costs[h] + price * Math.max(0, leap - FREE_LEAP);
        if (cost < best) {
          best = cost;
          back[i][j] = h;
        }
      });
      return best + to.cost;
    });
  }
  let j = costs.indexOf(Math.min(...costs));
  for (let i = stretches.length - 1; i >= 0; i--) {
    const { shift } = stretches[i].options[j];
    if (shift) {
      for (let k = stretches[i].start; k < stretches[i].end; k++) f0[k] *= ratioOf(shift);
    }
    j = back[i][j];
  }
}

/**
 * A scrap right beside a voice and at another octave or twelfth of it is that voice, where its pitch is among the candidates too. One that
 * leaps otherwise, and far under it, is its breath or a consonant.
 */
function takeScrapsAlong(f0: Float32Array, c: Candidates, levelDb: Float32Array): void {
  const stretches = stretchesOf(f0);
  stretches.forEach(([a, z], i) => {
    if ((z - a) * HOP >= SHORTEST_SECONDS) return;
    const [before, after] = [stretches[i - 1], stretches[i + 1]] as ([number, number] | undefined)[];
    const beside: { midi: number; loud: number }[] = [];
    // one that was dropped itself is nobody's neighbour
    if (before && (a - before[1]) * HOP < BESIDE_SECONDS && f0[before[1] - 1] > 0)
      beside.push({
        midi: hzToMidi(f0[before[1] - 1]),
        loud: highest(levelDb, Math.max(before[0], before[1] - SIDE_FRAMES), before[1]),
      });
    if (after && (after[0] - z) * HOP < BESIDE_SECONDS)
      beside.push({
        midi: hzToMidi(f0[after[0]]),
        loud: highest(levelDb, after[0], Math.min(after[1], after[0] + SIDE_FRAMES)),
      });
    if (!beside.length || Math.abs(beside[0].midi - beside[beside.length - 1].midi) > BREAK_SEMITONES) return;
    const own = hzToMidi(f0[(a + z) >> 1]);
    const away = beside[0].midi - own;
    const shift = SHIFTS.find(d => d && Math.abs(d - away) < SCRAP_SEMITONES);
    if (!shift) {
      const loud = Math.max(...beside.map(s => s.loud));
      if (Math.abs(away) > BREAK_SEMITONES - 1 && highest(levelDb, a, z) < loud - SCRAP_UNDER_DB) f0.fill(0, a, z);
      return;
    }
    let supported = 0;
    for (let k = a; k < z; k++) if (strengthAt(c, k >> 1, hzToMidi(f0[k]) + shift, 'both') > 0.5) supported++;
    if (supported < LEAST_SUPPORT * (z - a)) return;
    for (let k = a; k < z; k++) f0[k] *= ratioOf(shift);
  });
}

const ratioOf = (shift: number) => (shift === 19 ? 3 : shift === -19 ? 1 / 3 : 2 ** (shift / 12));

/**
 * Takes out stretches that are short and far under the take's loudness all through: what the headphones spill is periodic too.
 * Changes f0 in place.
 */
export function dropSpill(f0: Float32Array, levelDb: Float32Array, loudDb: number): void {
  for (const [a, z] of stretchesOf(f0))
    if ((z - a) * HOP < SPILL_SECONDS && highest(levelDb, a, z) < loudDb - SPILL_DB) f0.fill(0, a, z);
}

function highest(x: Float32Array, from: number, to: number): number {
  let top = -Infinity;
  for (let k = from; k < to; k++) if (x[k] > top) top = x[k];
  return top;
}

function stretchesOf(f0: Float32Array): [number, number][] {
  const out: [number, number][] = [];
  for (const [a, z] of runsOf(f0)) {
    let start = a;
    for (let k = a + 1; k < z; k++)
      if (Math.abs(12 * Math.log2(f0[k] / f0[k - 1])) > BREAK_SEMITONES) {
        out.push([start, k]);
        start = k;
      }
    out.push([start, z]);
  }
  return out;
}

/** Strength of the candidate nearest to a pitch in a 10 ms frame, 0 when there is none near. */
function strengthAt(c: Candidates, frame: number, midi: number, what: 'both' | 'harmonicity'): number {
  let best = 0;
  let nearest = NEAR_SEMITONES;
  for (let j = 0; j < c.count[frame]; j++) {
    const i = frame * MOST + j;
    const away = Math.abs(hzToMidi(c.hz[i]) - midi);
    if (away >= nearest) continue;
    nearest = away;
    best =
      what === 'both' ? Math.max(0.01, 0.5 * c.periodicity[i] + 0.5 * c.harmonicity[i]) : Math.max(0, c.harmonicity[i]);
  }
  return best;
}

function describe(f0: Float32Array, c: Candidates, start: number, end: number): Stretch {
  const options: Stretch['options'] = [];
  const frames: number[] = [];
  for (let k = start + (start & 1); k < end; k += 2) frames.push(k);
  if (!frames.length) frames.push(start);
  for (const shift of SHIFTS) {
    let strength = 0;
    let above = 0;
    let supported = 0;
    for (const k of frames) {
      const s = strengthAt(c, k >> 1, hzToMidi(f0[k]) + shift, 'both');
      strength += s / frames.length;
      above += strengthAt(c, k >> 1, hzToMidi(f0[k]) + shift + 12, 'both') / frames.length;
      if (s > 0) supported++;
    }
    if (shift === 0 || supported >= LEAST_SUPPORT * frames.length)
      options.push({ shift, cost: 1 - strength - OCTAVE_COST * (shift / 12) + HALF_RATE * Math.min(1, above / 0.5) });
  }
  let roughness = 0;
  for (const k of frames) roughness += strengthAt(c, k >> 1, hzToMidi(f0[k]) - 12, 'harmonicity') / frames.length;
  const edge = Math.min(10, (end - start) >> 1);
  return { start, end, first: hzToMidi(f0[start + edge]), last: hzToMidi(f0[end - 1 - edge]), options, roughness };
}

function regionRoughness(s: Stretch, all: Stretch[]): number {
  let sum = 0;
  let length = 0;
  for (const o of all) {
    const gap = Math.max(0, o.start - s.end, s.start - o.end) * HOP;
    if (gap > REACH_SECONDS) continue;
    const w = (o.end - o.start) * Math.exp(-gap / FORGET_SECONDS);
    sum += w * o.roughness;
    length += w;
  }
  return length ? Math.min(1, sum / length) : 0;
}
