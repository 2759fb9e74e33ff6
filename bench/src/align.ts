import {
  alignFeatures,
  Aligner,
  alignPair,
  analyseVoice,
  neutralPlan,
  quantile,
  readTake,
  renderAll,
  TimeMap,
  type Alignment,
} from '@essim/core';
import {
  hall,
  perform,
  SAMPLE_RATE,
  smallRoom,
  songScore,
  type Performance,
  type ScoreOptions,
  type Truth,
} from '@essim/demo';
import { speedOf } from './yardstick';

/** One kind of pair: how the follower differs from a tenor's lead. */
interface Kind {
  voice: string;
  score?: Partial<ScoreOptions>;
  /** Words only the follower has: left out of the lead, "phrase.index". */
  leadSkips?: string[];
  /** Everything later by so much, s. */
  late?: number;
  room?: boolean;
}

const PHRASES = [1, 2, 4, 5];
const SKIPPED = ['2.3', '4.5'];
const IN_KEY = [2, 4, 6, 7, 9, 11, 1];
const third = (midi: number): number => {
  let m = midi;
  for (let left = 2; left > 0;) if (IN_KEY.includes(++m % 12)) left--;
  return m;
};

export const KINDS: Record<string, Kind> = {
  'same singer': { voice: 'tenor' },
  'other singer': { voice: 'bass', score: { transpose: m => m - 12 } },
  'octave above': { voice: 'alto', score: { transpose: m => m + 12 } },
  'a third above': { voice: 'alto', score: { transpose: third } },
  'words dropped': { voice: 'secondTenor', score: { skip: SKIPPED } },
  'words added': { voice: 'secondTenor', leadSkips: SKIPPED },
  '.4 s late': { voice: 'secondTenor', late: 0.4 },
  '2 s late': { voice: 'secondTenor', late: 2 },
  sloppy: { voice: 'secondTenor', score: { loose: 0.07 } },
  'poor room': { voice: 'alto', room: true },
};

export interface Pair {
  lead: Performance;
  follower: Performance;
}

/** Sings a pair. Seeded. */
export function singPair(kind: Kind, seed: number): Pair {
  const sing = (voice: string, options: ScoreOptions, voiceSeed: number, late = 0, room = false): Performance => {
    const score = songScore({ phrases: PHRASES, ...options });
    const first = (PHRASES[0] * 4 * 60) / 92 - 1;
    for (const s of score) s.t += late - first;
    const last = score[score.length - 1];
    const { samples, truth } = perform(score, voice, { seed: voiceSeed, duration: last.t + last.duration + 0.8 });
    return { samples: room ? hall(samples, seed % 7, 0.25) : smallRoom(samples, voiceSeed), truth };
  };
  return {
    lead: sing('tenor', { seed, skip: kind.leadSkips }, seed + 1),
    follower: sing(kind.voice, { seed: seed + 50, loose: 0.03, ...kind.score }, seed + 2, kind.late, kind.room),
  };
}

interface Moment {
  follower: number;
  lead: number;
}

/** Words of a truth by phrase, text and count, with the moments that are known in them. */
function wordsByName(t: Truth): Map<string, { start: number; end: number; moments: number[] }> {
  const out = new Map<string, { start: number; end: number; moments: number[] }>();
  for (const w of t.words) {
    let name = `${w.phrase} ${w.word}`;
    while (out.has(name)) name += '+';
    const onsets = t.notes.filter(n => n.start >= w.start - 0.001 && n.start < w.end).map(n => n.start);
    out.set(name, { start: w.start, end: w.end, moments: [w.start, ...onsets] });
  }
  return out;
}

/** Moments the two have in common, and the follower's words that have no counterpart. */
export function matchingTruth({ lead, follower }: Pair): {
  moments: Moment[];
  strangers: { start: number; end: number }[];
} {
  const theirs = wordsByName(lead.truth);
  const moments: Moment[] = [];
  const strangers: { start: number; end: number }[] = [];
  for (const [name, w] of wordsByName(follower.truth)) {
    const same = theirs.get(name);
    if (!same) strangers.push(w);
    else if (same.moments.length === w.moments.length)
      w.moments.forEach((t, i) => moments.push({ follower: t, lead: same.moments[i] }));
  }
  return { moments, strangers };
}

/** How an alignment stands against the truth. Errors in ms, shares in %. */
export function scoreMap({ map, apart }: Alignment, pair: Pair) {
  const { moments, strangers } = matchingTruth(pair);
  const time = TimeMap.through(map);
  const errors = moments.map(m => Math.abs(time.forward(m.follower) - m.lead) * 1000);
  const { f0, hop } = pair.follower.truth;
  const isApart = (t: number) => apart.some(s => t >= s.start && t < s.end);
  const inStranger = (t: number) => strangers.some(s => t >= s.start - 0.05 && t < s.end + 0.05);
  let sung = 0;
  let falsely = 0;
  let extreme = 0;
  let bent = 0;
  for (let k = 0; k + 2 < f0.length; k++) {
    if (!f0[k]) continue;
    sung++;
    const t = k * hop;
    const speed = (time.forward(t + hop) - time.forward(t)) / hop;
    if (speed < 0.5 || speed > 2) extreme++;
    if (isApart(t) && !inStranger(t)) falsely++;
    if (strangers.some(s => t >= s.start && t < s.end) && Math.abs(speed - 1) > 0.02) bent++;
  }
  const found = strangers.filter(s => {
    let inside = 0;
    for (let t = s.start; t < s.end; t += hop) if (isApart(t)) inside += hop;
    return inside > 0.5 * (s.end - s.start);
  });
  return {
    median: quantile(errors, 0.5),
    p95: quantile(errors, 0.95),
    'lone words found': strangers.length ? `${found.length} of ${strangers.length}` : '',
    'falsely apart %': (100 * falsely) / sung,
    'beyond .5-2x %': (100 * extreme) / sung,
    'bent in lone words %': (100 * bent) / sung,
  };
}

/**
 * Where moments of the follower really are in its aligned sound, found there by its own waveform: knows nothing of the map that was
 * followed. Errors against the lead, ms.
 */
export function scoreRendered({ map }: Alignment, pair: Pair): { median: number; p95: number; places: number } {
  const x = pair.follower.samples;
  const reading = readTake(x, SAMPLE_RATE);
  const analysis = analyseVoice([x], SAMPLE_RATE, reading.f0, reading.hop);
  const [y] = renderAll(analysis, { ...neutralPlan(analysis.frames, analysis.hop), time: TimeMap.through(map) });
  const time = TimeMap.through(map);
  const errors: number[] = [];
  for (const m of matchingTruth(pair).moments) {
    const found = findAgain(x, m.follower, y, time.forward(m.follower));
    if (found !== null) errors.push(Math.abs(found - m.lead) * 1000);
  }
  return { median: quantile(errors, 0.5), p95: quantile(errors, 0.95), places: errors.length };
}

const HALF = Math.round(0.025 * SAMPLE_RATE);
const SEARCH = Math.round(0.04 * SAMPLE_RATE);
const STEP = Math.round(0.001 * SAMPLE_RATE);

/** Where 50 ms of x about a moment are in y by their loudness millisecond by millisecond; null where they are like nothing. s */
function findAgain(x: Float32Array, at: number, y: Float32Array, about: number): number | null {
  const loudness = (v: Float32Array, from: number, count: number) =>
    Float64Array.from({ length: count }, (_, i) => {
      let s = 1e-9;
      for (let k = from + i * STEP; k < from + (i + 1) * STEP; k++) s += (v[k] ?? 0) ** 2;
      return Math.log(s);
    });
  const count = Math.floor((2 * HALF) / STEP);
  const own = loudness(x, Math.round(at * SAMPLE_RATE) - HALF, count);
  const room = loudness(y, Math.round(about * SAMPLE_RATE) - HALF - SEARCH, count + Math.floor((2 * SEARCH) / STEP));
  const like = (d: number) => {
    let [sa, sb, aa, bb, ab] = [0, 0, 0, 0, 0];
    for (let i = 0; i < count; i++) {
      const [a, b] = [own[i], room[i + d]];
      sa += a;
      sb += b;
      aa += a * a;
      bb += b * b;
      ab += a * b;
    }
    return (ab - (sa * sb) / count) / Math.sqrt((aa - (sa * sa) / count) * (bb - (sb * sb) / count) + 1e-9);
  };
  const likes = Array.from({ length: room.length - count }, (_, d) => like(d));
  const best = likes.indexOf(Math.max(...likes));
  if (likes[best] < 0.9 || best === 0 || best === likes.length - 1) return null;
  const part =
    (0.5 * (likes[best - 1] - likes[best + 1])) / (likes[best - 1] - 2 * likes[best] + likes[best + 1] - 1e-9);
  return about + ((best + part) * STEP - SEARCH) / SAMPLE_RATE;
}

/** Every kind of pair, with seeds nothing was tuned on. */
export function scoreAlignment(seed: number) {
  return Object.entries(KINDS).map(([pair, kind]) => {
    const made = singPair(kind, seed);
    const pitch = {
      lead: readTake(made.lead.samples, SAMPLE_RATE).f0,
      follower: readTake(made.follower.samples, SAMPLE_RATE).f0,
    };
    const found = alignPair(made.lead.samples, made.follower.samples, SAMPLE_RATE, { pitch });
    const rendered = scoreRendered(found, made);
    return {
      pair,
      ...scoreMap(found, made),
      'rendered median': rendered.median,
      'rendered p95': rendered.p95,
      places: rendered.places,
      confidence: found.confidence,
    };
  });
}

/** Audio seconds a second: all anew, and once more after a tie. */
export function scoreAlignmentSpeed(seed: number): Record<string, string | number>[] {
  const { lead, follower } = singPair(KINDS['same singer'], seed);
  const long = Math.max(lead.samples.length, follower.samples.length) / SAMPLE_RATE;
  const [a, b] = [follower, lead].map(p => alignFeatures(p.samples, SAMPLE_RATE, long));
  const aligner = new Aligner(a, b);
  aligner.align();
  const { moments } = matchingTruth({ lead, follower });
  const tie = moments[moments.length >> 1];
  return [
    speedOf('alignment, cold', long, () => void alignPair(lead.samples, follower.samples, SAMPLE_RATE)),
    speedOf('alignment, after a tie', long, () => void aligner.align({ ties: [tie] })),
  ];
}
