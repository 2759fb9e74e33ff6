import { hzToMidi, type Midi, type Seconds } from '../units';
import { OCTAVE_COST } from './candidates';
import { centreOf } from './centre';
import { CANDIDATES_PER_FRAME as MOST, HOP, type Reading } from './reading';
import type { Span } from '../units';

/** One way a note or stretch can be heard. */
export interface Hearing {
  midi: Midi;
  /** Probability, 0..1; all of a stretch add up to at most 1. */
  share: number;
  /** Whether it is what the line shows now. */
  now: boolean;
}

/** How much better a candidate must be to be e times likelier. */
const TEMPERATURE = 0.07;
const LEAST_SHARE = 0.01;

/** Probabilities of a 10 ms frame's candidates by their strengths, with the octave's advantage the path has too. */
export function candidateShares({ candidates: c }: Pick<Reading, 'candidates'>, frame: number): Float64Array {
  const out = new Float64Array(c.count[frame] ?? 0);
  let sum = 0;
  for (let j = 0; j < out.length; j++) {
    const i = frame * MOST + j;
    const strength = 0.5 * c.periodicity[i] + 0.5 * Math.max(0, c.harmonicity[i]) + OCTAVE_COST * Math.log2(c.hz[i]);
    sum += out[j] = Math.exp(strength / TEMPERATURE);
  }
  for (let j = 0; j < out.length; j++) out[j] /= sum;
  return out;
}

/**
 * How a stretch can be heard, the likeliest first: its candidates gathered by their distance in semitones from the line, so that a glide
 * or vibrato is one hearing and not many.
 */
export function hearings(reading: Reading, span: Span): Hearing[] {
  const { f0, candidates: c } = reading;
  const centre = centreOf(f0, reading.levelDb, span);
  if (Number.isNaN(centre)) return [];
  const shares = new Map<number, { share: number; offset: number }>();
  let frames = 0;
  for (let k = Math.ceil(span.start / HOP / 2); k < Math.min(c.count.length, span.end / HOP / 2); k++) {
    const hz = f0[Math.min(f0.length - 1, 2 * k)];
    if (!(hz > 0) || !c.count[k]) continue;
    frames++;
    candidateShares(reading, k).forEach((share, j) => {
      const offset = 12 * Math.log2(c.hz[k * MOST + j] / hz);
      const key = Math.round(offset);
      const at = shares.get(key) ?? { share: 0, offset: 0 };
      shares.set(key, { share: at.share + share, offset: at.offset + share * offset });
    });
  }
  // the same pitch a little off is the same hearing
  for (const [key, at] of [...shares].sort((a, b) => a[1].share - b[1].share)) {
    const larger = [key - 1, key + 1].find(k => (shares.get(k)?.share ?? 0) > at.share);
    if (larger === undefined) continue;
    const into = shares.get(larger)!;
    into.share += at.share;
    into.offset += at.offset;
    shares.delete(key);
  }
  const out = [...shares].map(([key, { share, offset }]) => ({
    midi: centre + (key === 0 ? 0 : offset / share),
    share: share / frames,
    now: key === 0,
  }));
  if (!out.some(h => h.now)) out.push({ midi: centre, share: 0, now: true });
  return out.filter(h => h.now || h.share >= LEAST_SHARE).sort((a, b) => b.share - a.share);
}

/**
 * How a run of notes is heard if it goes on as its neighbours do: each at the hearing, or the octave of the present one, nearest to the
 * notes around that are not of the run. @param notes all of the take @param chosen indices, in order
 * @returns a pitch for each that changes
 */
export function likeNeighbours(reading: Reading, chosen: readonly number[]): { index: number; midi: Midi }[] {
  const { notes } = reading;
  const run = new Set(chosen);
  const settled = notes.map(n => n.pitch);
  const out: { index: number; midi: Midi }[] = [];
  for (const index of chosen) {
    const before = index > 0 && (!run.has(index - 1) || chosen.includes(index - 1)) ? settled[index - 1] : NaN;
    let next = index + 1;
    while (next < notes.length && run.has(next)) next++;
    const after = next < notes.length ? settled[next] : NaN;
    const around = [before, after].filter(m => !Number.isNaN(m));
    if (!around.length) continue;
    const now = notes[index].pitch;
    const options = [
      ...hearings(reading, notes[index]).map(h => ({ midi: h.midi, evidence: h.share })),
      { midi: now + 12, evidence: 0 },
      { midi: now - 12, evidence: 0 },
    ];
    const cost = (o: { midi: Midi; evidence: number }) =>
      around.reduce((s, m) => s + Math.abs(o.midi - m), 0) / around.length - 3 * Math.min(0.5, o.evidence);
    const best = options.reduce((a, b) => (cost(b) < cost(a) ? b : a));
    settled[index] = best.midi;
    if (Math.abs(best.midi - now) > 0.5) out.push({ index, midi: best.midi });
  }
  return out;
}

export type DoubtReason = 'octave' | 'between' | 'weak' | 'short' | 'border';

/** A spot worth a look. */
export interface Doubt extends Span {
  reason: DoubtReason;
  /** In words: "D3 or D4, 55 and 41 %". */
  midi: Midi;
  other?: Midi;
  /** How doubtful, 0..1. */
  amount: number;
}

const OCTAVE_SHARE = 0.25;
const QUARTER_TONE = 12;
const WEAK = 0.55;
const SHORT: Seconds = 0.11;
/** Two notes read as one are both at least this long. */
const LEAST_PART: Seconds = 0.13;
const CONSONANT: Seconds = 0.09;
const BORDER_DIP_DB = 1.2;
const BORDER_COLOUR = 2.8;

/** Spots of a reading that may be wrong, in time order: octave, centre between two steps, weak voicing, very short, perhaps two notes. */
export function doubtsOf(reading: Reading): Doubt[] {
  const out: Doubt[] = [];
  for (const n of reading.notes) {
    const span = { start: n.start, end: n.end };
    const list = hearings(reading, n);
    const now = list.find(h => h.now);
    const rival = list.find(h => !h.now && Math.abs(h.midi - n.pitch) > 4);
    if (rival && rival.share > OCTAVE_SHARE && rival.share > 0.4 * (now?.share ?? 0))
      out.push({ ...span, reason: 'octave', midi: n.pitch, other: rival.midi, amount: rival.share });
    const off = n.pitch * 100 - reading.tuningCents;
    const fromHalf = Math.abs((((off % 100) + 100) % 100) - 50);
    if (fromHalf < QUARTER_TONE && n.end - n.start > SHORT)
      out.push({
        ...span,
        reason: 'between',
        midi: Math.floor(off / 100),
        other: Math.floor(off / 100) + 1,
        amount: 1 - fromHalf / QUARTER_TONE,
      });
    const clear = clarity(reading, n);
    if (clear < WEAK) out.push({ ...span, reason: 'weak', midi: n.pitch, amount: 1 - clear });
    if (n.end - n.start < SHORT)
      out.push({ ...span, reason: 'short', midi: n.pitch, amount: 1 - (n.end - n.start) / SHORT });
    const cuts = cutsIn(reading, n);
    const inside = (t: Seconds) => t > n.start + LEAST_PART && t < n.end - LEAST_PART;
    // a consonant between two vowels: a dip with a change of colour before and after it
    const near = (t: Seconds, from: Seconds, to: Seconds) => cuts.consonant.some(q => q - t > from && q - t < to);
    const at = cuts.dip.find(t => inside(t) && near(t, -CONSONANT, 0) && near(t, 0, CONSONANT));
    if (at !== undefined) out.push({ start: at - 0.03, end: at + 0.03, reason: 'border', midi: n.pitch, amount: 0.5 });
  }
  return out.sort((a, b) => a.start - b.start);
}

/** Mean periodicity of the candidates the line follows; 1 in a clear voice. */
function clarity({ f0, candidates: c }: Reading, span: Span): number {
  let sum = 0;
  let frames = 0;
  for (let k = Math.ceil(span.start / HOP / 2); k < Math.min(c.count.length, span.end / HOP / 2); k++) {
    const hz = f0[2 * k];
    if (!(hz > 0)) continue;
    let best = 0;
    for (let j = 0; j < c.count[k]; j++)
      if (Math.abs(hzToMidi(c.hz[k * MOST + j]) - hzToMidi(hz)) < 1) best = Math.max(best, c.periodicity[k * MOST + j]);
    sum += best;
    frames++;
  }
  return frames ? sum / frames : 0;
}

export interface Cuts {
  /** Where the pitch goes from one plateau to another. */
  pitch: Seconds[];
  /** Where the level dips. */
  dip: Seconds[];
  /** Where the colour of the voice changes. */
  consonant: Seconds[];
  /** Where a vibrato crosses its middle upwards. */
  swing: Seconds[];
}

/** Cents from A4; NaN where nothing is sung. */
const cents = (hz: number): number => (hz > 0 ? 1200 * Math.log2(hz / 440) : NaN);

const PLATEAU_CENTS = 70;
const STEADY_SPREAD = 60;
const EDGE: Seconds = 0.06;

/** Where a note could be cut, by cause. */
export function cutsIn(reading: Reading, span: Span): Cuts {
  const { f0, levelDb, colour } = reading;
  const a = Math.round((span.start + EDGE) / HOP);
  const z = Math.min(f0.length - 1, Math.round((span.end - EDGE) / HOP));
  const first = Math.round(span.start / HOP);
  const end = Math.min(f0.length, Math.round(span.end / HOP)) - 1;
  const cuts: Cuts = { pitch: [], dip: [], consonant: [], swing: [] };
  const apart = (list: Seconds[], k: number) => !list.length || k * HOP - list[list.length - 1] > EDGE;
  for (let k = a; k <= z; k++) {
    if (isTop(colour, k, 8) && colour[k] > BORDER_COLOUR && apart(cuts.consonant, k)) cuts.consonant.push(k * HOP);
    if (dipDepth(levelDb, k, first, end) > BORDER_DIP_DB && apart(cuts.dip, k)) cuts.dip.push(k * HOP);
  }
  // plateaus: medians of 80 ms before and after, of this stretch only, differ, most of all here
  const within = (from: number, to: number) => middleOf(f0, Math.max(first, from), Math.min(end, to));
  const step = new Float64Array(Math.max(0, z - a + 1));
  for (let k = a; k <= z; k++) step[k - a] = Math.abs(within(k + 4, k + 20) - within(k - 20, k - 4)) || 0;
  for (let k = a; k <= z; k++) {
    if (step[k - a] <= PLATEAU_CENTS || !isTop(step, k - a, 12) || !apart(cuts.pitch, k)) continue;
    const [before, after] = [within(k - 44, k - 16), within(k + 16, k + 44)];
    // a swing of a vibrato comes back; a step stays
    if (Math.abs(after - before) <= PLATEAU_CENTS) continue;
    // a scoop, a fall and a glide go on moving
    if (
      spreadOf(f0, Math.max(first, k - 32), k - 8) > STEADY_SPREAD ||
      spreadOf(f0, k + 8, Math.min(end, k + 32)) > STEADY_SPREAD
    )
      continue;
    let at = k;
    while (at < Math.min(z, k + 24) && (cents(f0[at]) - (before + after) / 2) * (after - before) < 0) at++;
    cuts.pitch.push(at * HOP);
  }
  const wide = (k: number) => within(k - 24, k + 24);
  let above = true;
  for (let k = a; k <= z; k++) {
    const d = cents(f0[k]) - wide(k);
    if (!above && d > 8 && swings(f0, k)) {
      cuts.swing.push(k * HOP);
      above = true;
    } else if (d < -8) above = false;
  }
  return cuts;
}

/** Whether the line goes up and down by 25 cents or more about a frame within a slow vibrato's cycle either side. */
function swings(f0: Float32Array, k: number): boolean {
  let low = Infinity;
  let high = -Infinity;
  for (let j = k - 26; j <= k + 26; j++) {
    if (!(f0[j] > 0)) return false;
    const c = cents(f0[j]);
    low = Math.min(low, c);
    high = Math.max(high, c);
  }
  return high - low > 25 && high - low < 500;
}

/** Median of sung frames, cents from A4; NaN for none. */
function middleOf(f0: Float32Array, from: number, to: number): number {
  const list: number[] = [];
  for (let k = Math.max(0, from); k <= Math.min(f0.length - 1, to); k++) if (f0[k] > 0) list.push(cents(f0[k]));
  list.sort((x, y) => x - y);
  return list.length ? list[list.length >> 1] : NaN;
}

/** Distance of the outer sixths of the sung frames of a stretch, cents; endless when there are too few to tell. */
function spreadOf(f0: Float32Array, from: number, to: number): number {
  const list = Array.from(f0.subarray(Math.max(0, from), to + 1)).filter(hz => hz > 0);
  if (list.length < 16) return Infinity;
  list.sort((x, y) => x - y);
  const sixth = Math.floor(list.length / 6);
  return cents(list[list.length - 1 - sixth]) - cents(list[sixth]);
}

function isTop(x: ArrayLike<number>, k: number, reach: number): boolean {
  for (let j = Math.max(0, k - reach); j <= Math.min(x.length - 1, k + reach); j++)
    if (x[j] > x[k] || (x[j] === x[k] && j < k)) return false;
  return true;
}

/** How far the level at a frame lies under the tops before and after it within a stretch, dB; 0 when it is no least. */
function dipDepth(levelDb: Float32Array, k: number, first: number, last: number): number {
  for (let j = Math.max(first, k - 6); j <= Math.min(last, k + 6); j++) if (levelDb[j] < levelDb[k]) return 0;
  let before = -120;
  let after = -120;
  for (let j = Math.max(first, k - 24); j < k; j++) before = Math.max(before, levelDb[j]);
  for (let j = k + 1; j <= Math.min(last, k + 24); j++) after = Math.max(after, levelDb[j]);
  return Math.min(before, after) - levelDb[k];
}
