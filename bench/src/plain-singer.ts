import { dbToGain, midiToHz, seededRandom, smoothStep, type Random } from '@essim/core';
import { SAMPLE_RATE, type Performance, type Truth } from '@essim/demo';

/**
 * A second made-up singer, built otherwise than the demo's: pulses of one unchanging shape through a cascade of formants (Klatt 1980), on
 * nonsense syllables. Its glottis does not change with pitch, so that a shift of it has one exact answer, and nothing was tuned on it.
 */
export interface PlainVoice {
  /** About the lowest note it sings, MIDI. */
  base: number;
  /** Length of its throat: formants times this. */
  tract: number;
  seed: number;
}

export interface PlainOptions {
  cents?: number;
  tract?: number;
  pace?: number;
  phrases?: number;
}

const HOP = 0.005;
const FORMANTS: Record<string, [number, number, number]> = {
  a: [730, 1150, 2500],
  e: [530, 1840, 2480],
  i: [290, 2250, 2950],
  o: [500, 880, 2450],
  u: [330, 900, 2250],
  ae: [660, 1700, 2420],
};
const BANDWIDTHS = [70, 90, 130];
/** Formants that stay where they are, with their bandwidths. */
const UPPER: [number, number][] = [
  [3500, 220],
  [4400, 300],
  [5500, 400],
  [6500, 500],
  [7500, 600],
  [8600, 700],
  [9700, 800],
];

interface Consonant {
  kind: 'sibilant' | 'plosive' | 'voiced';
  seconds: number;
  /** Its noise: band in Hz and level under the vowels, dB. */
  band: [number, number];
  levelDb: number;
  formants?: [number, number, number];
}
const CONSONANTS: Consonant[] = [
  { kind: 'sibilant', seconds: 0.12, band: [5200, 9500], levelDb: -11 },
  { kind: 'sibilant', seconds: 0.12, band: [2600, 6000], levelDb: -9 },
  { kind: 'plosive', seconds: 0.09, band: [500, 2500], levelDb: -16 },
  { kind: 'plosive', seconds: 0.09, band: [3000, 8000], levelDb: -14 },
  { kind: 'plosive', seconds: 0.1, band: [1300, 3000], levelDb: -14 },
  { kind: 'voiced', seconds: 0.08, band: [0, 0], levelDb: -8, formants: [260, 1050, 2150] },
  { kind: 'voiced', seconds: 0.075, band: [0, 0], levelDb: -8, formants: [280, 1500, 2450] },
  { kind: 'voiced', seconds: 0.07, band: [0, 0], levelDb: -5, formants: [360, 1150, 2700] },
];
const MAJOR = [0, 2, 4, 5, 7, 9, 11, 12, 14];
/** A burst begins so long before its vowel, and lasts. */
const BURST = { before: 0.03, seconds: 0.012 };
const BREATH = { before: 0.06, seconds: 0.32, band: [700, 4500] as [number, number], levelDb: -27 };
const LEVEL = 0.1;
const NOISE_DB = -85;

/** A syllable with one note, laid out. Seconds, cents. */
interface PlainNote {
  vowel: string;
  consonant: Consonant | null;
  /** Where its voice begins, its vowel, and where it ends. */
  voiceStart: number;
  start: number;
  end: number;
  cents: number;
  first: boolean;
  scoop: number;
  fall: number;
  vibrato: { rate: number; depth: number; delay: number } | null;
  gainDb: number;
}

interface Noise {
  start: number;
  end: number;
  band: [number, number];
  levelDb: number;
  kind: 'sibilant' | 'plosive' | 'breath';
}

const pick = <T>(random: Random, list: readonly T[]): T => list[Math.floor(random.uniform() * list.length)];
const between = (random: Random, low: number, high: number): number => low + (high - low) * random.uniform();

function compose(random: Random, base: number, phrases: number): PlainNote[] {
  const notes: PlainNote[] = [];
  let t = 1;
  let degree = 3;
  for (let p = 0; p < phrases; p++) {
    const count = 6 + Math.floor(3 * random.uniform());
    const from = notes.length;
    for (let i = 0; i < count; i++) {
      const last = i === count - 1;
      const seconds = last ? between(random, 1, 1.8) : pick(random, [0.33, 0.5, 0.65, 0.9]);
      const step = pick(random, [-3, -2, -1, 1, 2, 3]);
      degree = degree + step < 0 || degree + step > 8 ? degree - step : degree + step;
      const consonant = random.uniform() < 0.85 ? pick(random, CONSONANTS) : null;
      notes.push({
        vowel: pick(random, Object.keys(FORMANTS)),
        consonant,
        voiceStart: t - (consonant?.kind === 'voiced' ? consonant.seconds : 0),
        start: t,
        end: t + seconds - (last ? 0.12 : 0),
        cents: 100 * (base + MAJOR[degree]) + 15 * random.normal(),
        first: i === 0,
        scoop: random.uniform() < 0.25 ? -between(random, 40, 120) : 0,
        fall: last && random.uniform() < 0.5 ? -between(random, 60, 160) : 0,
        vibrato:
          seconds > 0.45
            ? { rate: between(random, 4.9, 6.2), depth: between(random, 20, 60), delay: between(random, 0.15, 0.3) }
            : null,
        gainDb: 1.5 * random.normal(),
      });
      t += seconds;
    }
    // a note ends where the next one's consonant begins
    for (let i = from; i + 1 < notes.length; i++)
      notes[i].end = notes[i + 1].start - (notes[i + 1].consonant?.seconds ?? 0);
    t += between(random, 0.8, 1.1);
  }
  return notes;
}

const atPace = (n: PlainNote, pace: number): PlainNote => ({
  ...n,
  voiceStart: n.voiceStart * pace,
  start: n.start * pace,
  end: n.end * pace,
  consonant: n.consonant && { ...n.consonant, seconds: n.consonant.seconds * pace },
  vibrato: n.vibrato && { ...n.vibrato, rate: n.vibrato.rate / pace, delay: n.vibrato.delay * pace },
});

/** Pitch of every frame, Hz; 0 where nothing is sung. */
function pitchOf(
  notes: readonly PlainNote[],
  frames: number,
  cents: number,
  pace: number,
  random: Random,
): Float64Array {
  const hz = new Float64Array(frames);
  const glides = notes.map(() => between(random, 0.05, 0.1) * pace);
  // unrest goes at the pace of the singing
  let walk = 0;
  const unrest = Float64Array.from({ length: Math.ceil(frames / pace) + 1 }, () => {
    walk = 0.97 * walk + 0.35 * random.normal();
    return 4 * walk;
  });
  notes.forEach((n, i) => {
    const before = notes[i - 1];
    const joined = !n.first && Math.abs(before.end - n.voiceStart) < 0.012;
    for (let k = Math.ceil(n.voiceStart / HOP); k < Math.min(frames, n.end / HOP); k++) {
      const t = k * HOP;
      const since = t - n.voiceStart;
      let c = joined
        ? before.cents + (n.cents - before.cents) * smoothStep((since + 0.01 * pace) / glides[i])
        : n.cents;
      c += unrest[Math.round(k / pace)] + (joined ? 0 : n.scoop * Math.exp(-since / (0.05 * pace)));
      if (n.vibrato) {
        const { rate, depth, delay } = n.vibrato;
        c += depth * smoothStep((t - n.start - delay) / (0.3 * pace)) * Math.sin(2 * Math.PI * rate * (t - n.start));
      }
      c += n.fall * Math.max(0, (t - n.end) / (0.14 * pace) + 1) ** 2;
      hz[k] = midiToHz((c + cents) / 100);
    }
  });
  return hz;
}

function noisesOf(notes: readonly PlainNote[]): Noise[] {
  return notes.flatMap((n): Noise[] => {
    const out: Noise[] = [];
    const onset = n.start - (n.consonant?.seconds ?? 0);
    if (n.first) {
      const end = onset - BREATH.before;
      out.push({ start: end - BREATH.seconds, end, band: BREATH.band, levelDb: BREATH.levelDb, kind: 'breath' });
    }
    if (n.consonant?.kind === 'sibilant')
      out.push({ ...n.consonant, start: onset, end: n.start - 0.005, kind: 'sibilant' });
    if (n.consonant?.kind === 'plosive') {
      const start = n.start - BURST.before;
      out.push({ ...n.consonant, start, end: start + BURST.seconds, kind: 'plosive' });
    }
    return out;
  });
}

/** Box mean over so many frames either way, twice. */
function smoothed(x: Float64Array, reach: number): Float64Array {
  let y = x;
  for (let pass = 0; pass < 2; pass++)
    y = y.map((_, k, from) => {
      const near = from.subarray(Math.max(0, k - reach), k + reach + 1);
      return near.reduce((s, v) => s + v, 0) / near.length;
    });
  return y;
}

const HALF_PULSE = 24;
/** Adds a band-limited pulse at a fractional sample. */
function addPulse(y: Float64Array, at: number, gain: number): void {
  const middle = Math.floor(at);
  for (let i = Math.max(0, middle - HALF_PULSE); i <= Math.min(y.length - 1, middle + HALF_PULSE); i++) {
    const d = i - at;
    const window = 0.5 + 0.5 * Math.cos((Math.PI * d) / (HALF_PULSE + 1));
    y[i] += gain * window * (d === 0 ? 0.9 : Math.sin(Math.PI * 0.9 * d) / (Math.PI * d));
  }
}

/** Pulses at the pitch, with jitter and shimmer, and breath that comes with each. Constant power whatever the pitch. */
function source(hz: Float64Array, level: Float64Array, samples: number, random: Random): Float64Array {
  const y = new Float64Array(samples);
  const breath = new Float64Array(samples);
  let phase = 0.999;
  let jitter = 0;
  let shimmer = 1;
  for (let i = 0; i < samples; i++) {
    const at = i / SAMPLE_RATE / HOP;
    const k = Math.floor(at);
    const [a, b] = [hz[k], hz[k + 1] ?? 0];
    const f = a && b ? a + (b - a) * (at - k) : a || (at - k > 0.5 ? b : 0);
    if (!f) {
      phase = 0.999;
      continue;
    }
    const step = (f * (1 + jitter)) / SAMPLE_RATE;
    const loud = level[k] + ((level[k + 1] ?? 0) - level[k]) * (at - k);
    phase += step;
    if (phase >= 1) {
      phase -= 1;
      addPulse(y, i - phase / step, loud * shimmer * Math.sqrt(SAMPLE_RATE / f));
      jitter = 0.003 * random.normal();
      shimmer = 1 + 0.02 * random.normal();
    }
    breath[i] = 0.0045 * random.normal() * loud * (0.35 + (phase < 0.6 ? 0.65 * Math.sin((Math.PI * phase) / 0.6) : 0));
  }
  // the glottis: two real poles, and what the lips radiate
  const [a1, a2] = [180, 1200].map(f => Math.exp((-2 * Math.PI * f) / SAMPLE_RATE));
  let [p, q, before] = [0, 0, 0];
  for (let i = 0; i < samples; i++) {
    p = a1 * p + (1 - a1) * y[i];
    q = a2 * q + (1 - a2) * p;
    y[i] = 14 * (q - 0.985 * before) + breath[i];
    before = q;
  }
  return y;
}

function resonate(y: Float64Array, hzAt: (i: number) => number, bandwidth: number): void {
  const r = Math.exp((-Math.PI * bandwidth) / SAMPLE_RATE);
  let [b, p, q] = [0, 0, 0];
  for (let i = 0; i < y.length; i++) {
    if ((i & 7) === 0) b = 2 * r * Math.cos((2 * Math.PI * hzAt(i)) / SAMPLE_RATE);
    const v = (1 - b + r * r) * y[i] + b * p - r * r * q;
    q = p;
    p = v;
    y[i] = v;
  }
}

function addNoise(y: Float32Array, n: Noise, random: Random): void {
  const from = Math.round(n.start * SAMPLE_RATE);
  const count = Math.round(n.end * SAMPLE_RATE) - from;
  const lead = 200;
  const x = Float64Array.from({ length: count + lead }, () => random.normal());
  const centre = Math.sqrt(n.band[0] * n.band[1]);
  const w = (2 * Math.PI * centre) / SAMPLE_RATE;
  const alpha = (Math.sin(w) * (n.band[1] - n.band[0])) / (2 * centre);
  for (let pass = 0; pass < 2; pass++) {
    let [x1, x2, y1, y2] = [0, 0, 0, 0];
    for (let i = 0; i < x.length; i++) {
      const v = (alpha * (x[i] - x2) + 2 * Math.cos(w) * y1 - (1 - alpha) * y2) / (1 + alpha);
      [x2, x1, y2, y1] = [x1, x[i], y1, v];
      x[i] = v;
    }
  }
  const power = x.subarray(lead).reduce((s, v) => s + v * v, 0) / count;
  const gain = (LEVEL * dbToGain(n.levelDb)) / Math.sqrt(power);
  for (let i = 0; i < count && from + i < y.length; i++) {
    if (from + i < 0) continue;
    const t = i / SAMPLE_RATE;
    const shape =
      n.kind === 'plosive'
        ? Math.exp(-t / 0.004) * Math.min(1, (i + 1) / 24)
        : Math.min(smoothStep(t / 0.02), smoothStep((count - i) / SAMPLE_RATE / 0.015));
    y[from + i] += gain * shape * x[lead + i];
  }
}

/** Sings. Seeded: the same voice and options give the same samples, and other options the same singing otherwise. */
export function singPlainly(voice: PlainVoice, options: PlainOptions = {}): Performance {
  const { cents = 0, pace = 1, phrases = 3 } = options;
  const tract = voice.tract * (options.tract ?? 1);
  const random = seededRandom(voice.seed);
  const notes = compose(random, voice.base, phrases).map(n => atPace(n, pace));
  const duration = notes[notes.length - 1].end + 0.8;
  const frames = Math.ceil(duration / HOP) + 2;
  const hz = pitchOf(notes, frames, cents, pace, seededRandom(voice.seed + 1));

  const formants = [500, 1500, 2500].map(f => new Float64Array(frames).fill(f));
  const level = new Float64Array(frames);
  const put = (from: number, to: number, f: [number, number, number], gainDb: number) => {
    const [a, b] = [from, to].map(t => Math.round(t / HOP));
    formants.forEach((x, z) => x.fill(f[z], a, b));
    level.fill(dbToGain(gainDb), a, b);
  };
  for (const n of notes) {
    put(n.start, n.end, FORMANTS[n.vowel], n.gainDb);
    if (n.consonant?.formants) put(n.voiceStart, n.start, n.consonant.formants, n.consonant.levelDb);
  }
  const samples = Math.ceil(duration * SAMPLE_RATE);
  const y = source(hz, smoothed(level, 2), samples, seededRandom(voice.seed + 2));
  for (const [z, x] of formants.map(f => smoothed(f, 4)).entries())
    resonate(
      y,
      i => {
        const at = i / SAMPLE_RATE / HOP;
        const k = Math.floor(at);
        return tract * (x[k] + (x[k + 1] - x[k]) * (at - k));
      },
      BANDWIDTHS[z],
    );
  for (const [f, bandwidth] of UPPER) resonate(y, () => f * tract, bandwidth);
  const sung = y.filter((_, i) => hz[Math.floor(i / SAMPLE_RATE / HOP)] > 0);
  const gain = LEVEL / Math.sqrt(sung.reduce((s, v) => s + v * v, 0) / sung.length);
  const noise = seededRandom(voice.seed + 3);
  const out = Float32Array.from(y, v => gain * v + dbToGain(NOISE_DB) * noise.normal());
  const noises = noisesOf(notes);
  for (const n of noises) addNoise(out, n, noise);
  return { samples: out, truth: truthOf(notes, hz, noises, duration) };
}

function truthOf(notes: readonly PlainNote[], hz: Float64Array, noises: readonly Noise[], duration: number): Truth {
  return {
    sampleRate: SAMPLE_RATE,
    duration,
    hop: HOP,
    f0: Array.from(hz),
    notes: notes.map(n => {
      const [a, b] = [0.3, 0.85].map(q => Math.round((n.start + q * (n.end - n.start)) / HOP));
      const body = hz.subarray(a, b).filter(f => f > 0);
      const sung = body.reduce((s, f) => s + 69 + 12 * Math.log2(f / 440), 0) / body.length;
      const { start, voiceStart, end } = n;
      return { start, voiceStart, end, midi: Math.round(n.cents / 100), sung, word: n.vowel };
    }),
    words: [],
    noises: noises.map(({ start, end, kind }) => ({ start, end, kind, phone: kind })),
    spoken: [],
    said: [],
  };
}
