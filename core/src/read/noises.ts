import { quantile } from '../signal/statistics';
import type { Span } from '../units';
import { HOP, type NoiseKind, type ReadNoise } from './reading';
import type { Bands } from './spectra';
import { stopBursts } from './stops';

const OVER_FLOOR_DB = 5;
const UNDER_LOUD_DB = 52;
/** The hiss of a band: what this share of its resting frames stay under. So many times that is taken off, so much of it left. */
const HISS_SHARE = 0.2;
const HISS_TIMES = 2.5;
const HISS_LEFT = 0.15;
const SHORTEST = 3;
/** A plosive: frames at most, its peak within, and the rise before it. */
const PLOSIVE = { longest: 15, peakWithin: 2, riseDb: 12 };
/** A burst inside a stretch begins another sound: so much louder within 15 ms. */
const BURST_DB = 13;
/** Sibilant: its highest band over its lowest, and its middle over it, dB; a breath has less of both. */
const SIBILANT = { highDb: 4, middleDb: -1, longest: 48, longHighDb: 12 };
const SHORTEST_BREATH = 7;
/** A vowel set in hard has so much more in its middle than on top, dB; a burst has not. */
const HARD_ONSET_DB = 7;
/** What dies away right after a voice, or swells right into one, is the voice's own: frames at most. */
const NEXT_TO_VOICE = 5;
const LONGEST_TAIL = 30;
const LONGEST_ONSET = 9;
/** As dark as this it is still voice, dB of the highest band against the lowest. */
const VOICE_DB = -15;
/** What begins so near a burst begins with it, s. */
const WITH_BURST = 0.02;
/** A plosive inside a voice that goes on (b, d, g): the burst's rise, and how far the voice sinks before it. */
const VOICED_BURST = { riseDb: 13, dipDb: 11, length: 3 };

/** Unpitched sounds: stretches between voiced frames clearly over the take's floor, told apart by length, attack and colour. */
export function findNoises(f0: Float32Array, bands: Bands, loudDb: number): ReadNoise[] {
  const frames = f0.length;
  const hiss = hissOf(bands, f0);
  const [low, middle, high] = [
    [590, 2000],
    [2000, 4300],
    [4300, 13000],
  ].map(([from, to]) => bandSums(bands, frames, hiss, from, to));
  const level = Float64Array.from({ length: frames }, (_, k) => 10 * Math.log10(low[k] + middle[k] + high[k] + 1e-12));
  const raw = bandSums(bands, frames, hiss, 590, 13000, 0);
  const floor =
    10 *
    Math.log10(
      quantile(
        raw.filter((_, k) => !f0[k]),
        0.5,
      ) + 1e-12,
    );
  const threshold = Math.max(floor + OVER_FLOOR_DB, loudDb - UNDER_LOUD_DB);
  const heard = (k: number) => k < frames && !f0[k] && level[k] > threshold;
  const out: ReadNoise[] = [];
  for (let s = 0; s < frames; s++) {
    if (!heard(s)) continue;
    let end = s;
    while (end < frames && !f0[end] && (level[end] > threshold || heard(end + 1))) end++;
    // the dying tail of the note before is not a noise
    let start = s;
    if (start > 0 && f0[start - 1] > 0) while (start < end - 1 && level[start + 1] < level[start] + 0.5) start++;
    for (const [a, z] of atBursts(level, start, end)) {
      const until = z === end && end < frames && f0[end] > 0 ? Math.min(frames, end + 2) : z;
      const kind = kindOf(a, z, until);
      if (kind) out.push({ start: Math.max(0, a * HOP - HOP / 2), end: until * HOP - HOP / 2, kind });
    }
    s = end;
  }
  for (const burst of [...voicedBursts(f0, level, high), ...stopBursts(f0, bands)]) takeIn(out, burst);
  return out;

  /** What a stretch is; null when it is the voice's own beginning or end, or nothing. */
  function kindOf(a: number, z: number, until: number): NoiseKind | null {
    if (until - a < SHORTEST) return null;
    let peak = a;
    for (let i = a; i < z; i++) if (level[i] > level[peak]) peak = i;
    const intoVoice = z < frames && f0[z] > 0;
    if (intoVoice && z - a <= NEXT_TO_VOICE + 1 && peak === z - 1) return null;
    const rise = level[peak] - Math.min(level[Math.max(0, peak - 3)], level[Math.max(0, a - 1)]);
    let [l, m, h] = [1e-12, 1e-12, 1e-12];
    for (let i = a; i < z; i++) {
      l += low[i];
      m += middle[i];
      h += high[i];
    }
    const sudden = until - a <= PLOSIVE.longest && peak - a <= PLOSIVE.peakWithin && rise > PLOSIVE.riseDb;
    // bright in the middle only and going over into voice: the vowel's own colour, a voice set in hard
    if (sudden) return intoVoice && 10 * Math.log10(m / h) > HARD_ONSET_DB ? null : 'plosive';
    const highDb = 10 * Math.log10(h / l);
    const least = z - a > SIBILANT.longest ? SIBILANT.longHighDb : SIBILANT.highDb;
    if (highDb > least && 10 * Math.log10(m / l) > SIBILANT.middleDb) return 'sibilant';
    let before = 0;
    while (before <= NEXT_TO_VOICE && a - 1 - before >= 0 && !f0[a - 1 - before]) before++;
    const tail = before <= NEXT_TO_VOICE && !intoVoice && z - a < LONGEST_TAIL;
    const onset = intoVoice && z - a <= LONGEST_ONSET && peak - a > (z - a) / 2 && before > NEXT_TO_VOICE;
    if (tail || onset || highDb < VOICE_DB || until - a < SHORTEST_BREATH) return null;
    return 'breath';
  }
}

/** Takes a burst in among what was found, in order: it ends what began before it; what begins with it is its own breath. */
function takeIn(found: ReadNoise[], burst: Span): void {
  const begun = found.find(n => Math.abs(n.start - burst.start) <= WITH_BURST && n.kind !== 'sibilant');
  if (begun) return void (begun.kind = 'plosive');
  const over = found.find(n => n.start < burst.end && n.end > burst.start);
  if (over && (over.kind !== 'breath' || over.start > burst.start)) return;
  const end = Math.max(burst.end, over?.end ?? 0);
  if (over) over.end = burst.start;
  const next = found.findIndex(n => n.start > burst.start);
  found.splice(next < 0 ? found.length : next, 0, { start: burst.start, end, kind: 'plosive' });
}

/** Cuts a stretch before each sudden burst in it. */
function atBursts(level: Float64Array, start: number, end: number): [number, number][] {
  const cuts = [start];
  for (let k = start + 4; k < end - 1; k++) {
    const before = Math.min(level[k - 1], level[k - 2], level[k - 3]);
    if (level[k] - before < BURST_DB || k - cuts[cuts.length - 1] < 6) continue;
    cuts.push(level[k] - level[k - 1] > BURST_DB / 2 ? k : k - 1);
  }
  return cuts.map((a, i) => [a, cuts[i + 1] ?? end]);
}

/** The take's own hiss in each band: what a share of its resting frames stay under. */
function hissOf({ count, power }: Bands, f0: Float32Array): number[] {
  const resting: number[] = [];
  for (let k = 0; k < f0.length; k++) if (!f0[k]) resting.push(k);
  const values = new Float64Array(resting.length);
  return Array.from({ length: count }, (_, q) => {
    for (let i = 0; i < values.length; i++) values[i] = power[resting[i] * count + q];
    return quantile(values, HISS_SHARE);
  });
}

/** Power of the bands from one frequency to another, each frame, over the take's own hiss in each of them. */
function bandSums(
  { count, edgesHz, power }: Bands,
  frames: number,
  hiss: readonly number[],
  fromHz: number,
  toHz: number,
  times = HISS_TIMES,
): Float64Array {
  const out = new Float64Array(frames);
  for (let q = 0; q < count; q++) {
    if (edgesHz[q] < fromHz || edgesHz[q] >= toHz) continue;
    const [off, least] = [times * hiss[q], HISS_LEFT * hiss[q]];
    for (let k = 0; k < frames; k++) out[k] += Math.max(power[k * count + q] - off, least);
  }
  return out;
}

/** Bursts of b, d and g inside a voice that goes on: the voice sinks, then the highest band jumps. */
function voicedBursts(f0: Float32Array, level: Float64Array, high: Float64Array): ReadNoise[] {
  const out: ReadNoise[] = [];
  const db = (v: number) => 10 * Math.log10(v + 1e-12);
  for (let k = 20; k < f0.length - 20; k++) {
    if (!(f0[k] > 0) || !(f0[k - 4] > 0)) continue;
    const closed = Math.max(level[k - 2], level[k - 3], level[k - 4]);
    if (db(high[k]) - db(Math.max(high[k - 2], high[k - 3])) < VOICED_BURST.riseDb) continue;
    let before = -120;
    let after = -120;
    for (let j = 4; j <= 20; j++) {
      before = Math.max(before, level[k - j]);
      after = Math.max(after, level[k + j]);
    }
    if (Math.min(before, after) - closed < VOICED_BURST.dipDb) continue;
    out.push({ start: (k - 0.5) * HOP, end: (k - 0.5 + VOICED_BURST.length) * HOP, kind: 'plosive' });
    k += 12;
  }
  return out;
}
