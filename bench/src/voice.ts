import {
  addVibrato,
  analyseVoice,
  hzToCents,
  joinsOf,
  landing,
  layOut,
  median,
  splitTake,
  neutralPlan,
  quantile,
  readTake,
  renderAll,
  renderSpan,
  TimeMap,
  type SplitTake,
  type Reading,
  type VoiceAnalysis,
  type VoicePlan,
} from '@essim/core';
import { perform, smallRoom, songScore, VOICES, type Performance } from '@essim/demo';
import { generalStretch } from './general-stretch';
import { singPlainly } from './plain-singer';
import { compareSound, type SoundScore } from './sound';
import { speedOf } from './yardstick';

/** The same singing at another pitch, with another tract, at another pace. */
interface Otherwise {
  cents?: number;
  tract?: number;
  pace?: number;
}

/** A performance nothing was tuned on, with ways of really singing it otherwise. */
export class Subject {
  readonly base: Performance;
  readonly reading: Reading;
  readonly movements: SplitTake;
  readonly analysis: VoiceAnalysis;

  constructor(readonly sing: (otherwise: Otherwise) => Performance) {
    this.base = this.sing({});
    this.reading = readTake(this.base.samples, this.rate);
    this.movements = splitTake(this.reading);
    this.analysis = analyseVoice([this.base.samples], this.rate, this.reading.f0, this.reading.hop);
  }

  get rate(): number {
    return 48000;
  }
  get length(): number {
    return this.base.samples.length / this.rate;
  }

  plan(change: Partial<VoicePlan> = {}): VoicePlan {
    return { ...neutralPlan(this.reading.f0.length, this.reading.hop), joins: joinsOf(this.movements), ...change };
  }
  filled(cents: number): Float32Array {
    return new Float32Array(this.reading.f0.length).fill(cents);
  }
  everywhere(): Uint8Array {
    return new Uint8Array(this.reading.f0.length).fill(1);
  }
}

/** Three phrases of the demo song by one of its singers. */
const songSubject = (name: string, seed: number): Subject =>
  new Subject(({ cents = 0, tract = 1, pace = 1 }) => {
    const score = songScore({ seed, phrases: [1, 4, 6] });
    const first = Math.min(...score.map(s => s.t)) - 0.6;
    for (const s of score) s.t -= first;
    const last = score[score.length - 1];
    const voice = VOICES[name];
    const { samples, truth } = perform(
      score,
      { ...voice, tract: voice.tract * tract, upper: voice.upper * tract },
      { seed: seed + 1, duration: Math.ceil(last.t + last.duration + 0.6), transposeCents: cents, pace },
    );
    return { samples: smallRoom(samples, seed + 2), truth };
  });

export const subjects = (): Subject[] => [
  songSubject('bass', 811),
  songSubject('alto', 823),
  songSubject('tenor', 839),
];

/** Singers whose glottis does not change with the pitch: there a shift has one exact answer. */
export const plainSubjects = (): Subject[] =>
  [
    { base: 50, tract: 0.97, seed: 611 },
    { base: 57, tract: 1, seed: 621 },
    { base: 62, tract: 1.13, seed: 631 },
  ].map(voice => new Subject(otherwise => singPlainly(voice, otherwise)));

interface Case {
  name: string;
  semitones?: number;
  formant?: number;
  stretch?: number;
}
const CASES: Case[] = [
  ...[-24, -12, -7, -3, -0.5, 0.5, 4, 7, 12, 24].map(semitones => ({
    name: `${semitones > 0 ? '+' : ''}${semitones}`,
    semitones,
  })),
  { name: 'formant -4', formant: -4 },
  { name: 'formant +2', formant: 2 },
  { name: 'stretch .8', stretch: 0.8 },
  { name: 'stretch 2', stretch: 2 },
];

/** MIDI numbers of about 1,000 and 62 Hz. */
const HIGHEST_READ = 82;
const LOWEST_READ = 35;

const meanOf = (scores: SoundScore[]): SoundScore =>
  Object.fromEntries(
    (Object.keys(scores[0]) as (keyof SoundScore)[]).map(k => [
      k,
      scores.reduce((s, v) => s + v[k], 0) / scores.length,
    ]),
  ) as unknown as SoundScore;

const row = (name: string, by: string, s: SoundScore) => ({
  edit: name,
  by,
  'pitch c': s.pitchMedian,
  '95 % c': s.pitch95,
  'envelope dB': s.envelopeDb,
  'harmonics dB': s.harmonicsDb,
  'roughness dB': s.roughnessDb,
  'HNR dB': s.hnrDb,
  'level dB': s.levelDb,
});

/**
 * Renderings against the singers really singing so, by Essim and by a general-purpose library; means over the singers.
 * @param alone leaves the library out
 */
export async function scoreVoiceEngine(singers: Subject[], alone = false): Promise<Record<string, string | number>[]> {
  const rows: Record<string, string | number>[] = [];
  // what is left between two performances of the same: the singer's own chance
  const floor = singers.map(s => {
    const again = s.sing({ cents: 1 });
    return compareSound(s.base.samples, s.reading.f0, again.samples, s.base.samples, again.truth);
  });
  rows.push(row('sung again', 'the singer', meanOf(floor)));
  for (const c of CASES) {
    const ours: SoundScore[] = [];
    const theirs: SoundScore[] = [];
    for (const s of singers) {
      const { semitones = 0, formant = 0, stretch = 1 } = c;
      // beyond the range of the reading nothing can be compared
      const pitches = s.reading.notes.map(n => n.pitch + semitones);
      if (median(pitches) > HIGHEST_READ || Math.min(...pitches) < LOWEST_READ) continue;
      const truth = s.sing({ cents: semitones * 100, tract: 2 ** (formant / 12), pace: stretch });
      const plan = s.plan({
        offsetCents: s.filled(semitones * 100),
        active: semitones ? s.everywhere() : new Uint8Array(s.reading.f0.length),
        ...(formant ? { formantCents: s.filled(formant * 100) } : {}),
        time: TimeMap.stretch(stretch, s.length),
      });
      const score = (y: Float32Array) =>
        compareSound(y, readTake(y, s.rate).f0, truth.samples, s.base.samples, truth.truth, stretch);
      ours.push(score(renderAll(s.analysis, plan)[0]));
      if (!alone) theirs.push(score(await generalStretch(s.base.samples, s.rate, c)));
    }
    if (!ours.length) continue;
    rows.push(row(c.name, 'Essim', meanOf(ours)));
    if (!alone) rows.push(row(c.name, 'general library', meanOf(theirs)));
  }
  return rows;
}

/** Level of [from, to) seconds, dB. */
function levelOf(x: Float32Array, rate: number, from: number, to: number): number {
  let sum = 1e-12;
  for (let i = Math.max(0, Math.round(from * rate)); i < Math.min(x.length, Math.round(to * rate)); i++)
    sum += x[i] ** 2;
  return 10 * Math.log10(sum / Math.max(1, (to - from) * rate));
}

function correlation(x: Float32Array, y: Float32Array, from: number, to: number): number {
  let [r, p, q] = [0, 1e-12, 1e-12];
  for (let i = from; i < to; i++) {
    r += x[i] * y[i];
    p += x[i] ** 2;
    q += y[i] ** 2;
  }
  return r / Math.sqrt(p * q);
}

/** What becomes of unpitched sounds: sibilants under a shift, plosives when stretched. */
export async function scoreConsonants(): Promise<Record<string, string | number>[]> {
  const kept: Record<string, number[]> = { Essim: [], 'general library': [] };
  const echo: Record<string, number[]> = { Essim: [], 'general library': [] };
  for (const s of subjects()) {
    const { samples, truth } = s.base;
    const shifted: Record<string, Float32Array> = {
      Essim: renderAll(s.analysis, s.plan({ offsetCents: s.filled(400), active: s.everywhere() }))[0],
      'general library': await generalStretch(samples, s.rate, { semitones: 4 }),
    };
    const stretched: Record<string, Float32Array> = {
      Essim: renderAll(s.analysis, s.plan({ time: TimeMap.stretch(2, s.length) }))[0],
      'general library': await generalStretch(samples, s.rate, { stretch: 2 }),
    };
    for (const by of Object.keys(kept)) {
      for (const n of truth.noises.filter(q => q.kind === 'sibilant' && q.end - q.start > 0.06))
        kept[by].push(
          correlation(samples, shifted[by], Math.round((n.start + 0.02) * s.rate), Math.round((n.end - 0.02) * s.rate)),
        );
      for (const n of truth.noises.filter(q => q.kind === 'plosive')) {
        const before = (x: Float32Array, at: number) => levelOf(x, s.rate, at - 0.012, at - 0.003);
        const burst = levelOf(samples, s.rate, n.start, n.start + 0.012);
        // only bursts that stand out of silence can have an echo before them
        if (burst - before(samples, n.start) < 15) continue;
        echo[by].push(before(stretched[by], 2 * n.start) - before(samples, n.start));
      }
    }
  }
  return Object.keys(kept).map(by => ({
    by,
    'sibilants kept under +4 (correlation)': median(kept[by]),
    'sound before plosives, stretch 2, over as sung, dB': median(echo[by]),
    plosives: echo[by].length,
  }));
}

/** Cents asked for, over the time a reading looks at around a frame: what moves faster it cannot see. */
const asked = ({ offsetCents }: VoicePlan, k: number): number =>
  LOOK.reduce((sum, w, i) => sum + w * offsetCents[k + i - LOOK_HALF], 0);
const LOOK_HALF = 2;
const LOOK = [1, 3, 4, 3, 1].map(w => w / 12);

/**
 * How well curves are met: cents between what is read in the rendering and what was asked of the sung line, each 5 ms, in the bodies of
 * notes of half a second and more. Twice the reading's own chance (1.5 cents in the median) is in it.
 */
export function scoreCurves(): Record<string, string | number>[] {
  const wanted: Record<string, (s: Subject) => VoicePlan> = {
    'shift by 3': s => s.plan({ offsetCents: s.filled(300), active: s.everywhere() }),
    'vibrato added (5.5 Hz, 60 c)': s =>
      s.reading.notes
        .filter(n => n.end - n.start > 0.5)
        .reduce(
          (p, n, i) =>
            addVibrato(p, n.start, n.end, {
              rateHz: 5.5,
              depthCents: 60,
              delay: 0.15,
              build: 0.3,
              irregularity: 0.4,
              seed: i,
              swayDb: 1,
              swayCents: 20,
            }),
          s.plan(),
        ),
    'steep glides (700 c in 150 ms)': s => {
      const p = s.plan({ active: s.everywhere() });
      for (let k = 0; k < p.offsetCents.length; k++) {
        const t = (k * p.hop) % 0.8;
        p.offsetCents[k] = 700 * Math.min(1, Math.max(0, (Math.min(t, 0.8 - t) - 0.1) / 0.15));
      }
      return p;
    },
    'one note moved by 60 c, in and out of a held voice': s => {
      const p = s.plan();
      for (const n of s.reading.notes.filter(q => q.end - q.start > 0.5)) {
        const [a, b] = [Math.round(n.start / p.hop), Math.round(n.end / p.hop)];
        for (let k = a; k < b; k++) {
          p.offsetCents[k] = 60 * Math.min(1, (k - a) / 8, (b - k) / 8);
          p.active[k] = 1;
        }
      }
      return p;
    },
  };
  return Object.entries(wanted).map(([curve, make]) => {
    const errors: number[] = [];
    for (const s of subjects()) {
      const plan = make(s);
      const [y] = renderAll(s.analysis, plan);
      const heard = readTake(y, s.rate).f0;
      for (const n of s.reading.notes.filter(q => q.end - q.start > 0.5))
        for (let k = Math.ceil((n.start + 0.06) / plan.hop); k < (n.end - 0.06) / plan.hop; k++)
          if (heard[k] > 0 && s.reading.f0[k] > 0)
            errors.push(Math.abs(hzToCents(heard[k]) - hzToCents(s.reading.f0[k]) - asked(plan, k)));
    }
    return {
      curve,
      'median c': median(errors),
      '90 % c': quantile(errors, 0.9),
      '95 % c': quantile(errors, 0.95),
      'within 3 c %': (errors.filter(e => e <= 3).length / errors.length) * 100,
    };
  });
}

/**
 * Ways of spreading the phase an edit misses where it lands on the untouched voice: cents by which the pitch laid out differs from the
 * one asked, in the bodies of notes moved by themselves and in the rest of them.
 */
export function scoreLanding(): Record<string, string | number>[] {
  const chosen = { ...landing };
  const ways: Record<string, typeof landing> = {
    'evenly over the note': { easySlope: 1e9, easiest: 1 },
    'a little more in movement': { easySlope: 3000, easiest: 20 },
    'more in movement (chosen)': chosen,
    'mostly in movement': { easySlope: 100, easiest: 20 },
    'nearly all in movement': { easySlope: 50, easiest: 100 },
  };
  const singers = subjects();
  const rows = Object.entries(ways).map(([way, setting]) => {
    Object.assign(landing, setting);
    const [body, rest]: number[][] = [[], []];
    for (const s of singers)
      for (const [i, n] of s.movements.notes.entries()) {
        const length = (n.end - n.start) * s.reading.hop;
        if (length < 0.25) continue;
        const plan = s.plan();
        const [a, b] = [n.transitionIn?.from ?? n.start, n.transitionOut?.to ?? n.end];
        for (let k = a; k < b; k++) {
          plan.offsetCents[k] = (i % 2 ? 40 : -55) * Math.min(1, (k - a + 1) / 8, (b - k) / 8);
          plan.active[k] = 1;
        }
        for (const { laid, segment, curves } of layOut(s.analysis, plan).runs) {
          if (!laid) continue;
          for (let p = 0; p + 1 < laid.count; p++) {
            const [t0, t1] = [laid.source[p], laid.source[p + 1]];
            const sung = (t1 - t0) / (phaseIn(segment.epochs, t1) - phaseIn(segment.epochs, t0));
            const bend = Math.abs(1200 * Math.log2(sung / (t1 - t0)) - curves.offset((t0 + t1) / 2));
            const frame = t0 / s.rate / s.reading.hop;
            (frame > n.bodyStart && frame < n.bodyEnd ? body : rest).push(bend);
          }
        }
      }
    return {
      way,
      'bodies median': median(body),
      'bodies 95 %': quantile(body, 0.95),
      'ways in and out median': median(rest),
      'ways in and out 95 %': quantile(rest, 0.95),
    };
  });
  Object.assign(landing, chosen);
  return rows;
}

/** Periods since the first epoch. */
function phaseIn(epochs: Float64Array, t: number): number {
  let k = 0;
  while (k < epochs.length - 2 && epochs[k + 1] <= t) k++;
  return k + (t - epochs[k]) / (epochs[k + 1] - epochs[k]);
}

/** Audio seconds per second. */
export async function scoreVoiceSpeed(): Promise<Record<string, string | number>[]> {
  const s = songSubject('tenor', 839);
  const row = (what: string, plan: VoicePlan) =>
    speedOf(what, s.length, () => {
      const layout = layOut(s.analysis, plan);
      renderSpan(s.analysis, layout, 0, 0, layout.length, new Float32Array(layout.length));
    });
  const shift = s.plan({ offsetCents: s.filled(300), active: s.everywhere() });
  const started = performance.now();
  await generalStretch(s.base.samples, s.rate, { semitones: 3 });
  const general = s.length / ((performance.now() - started) / 1000);
  return [
    speedOf('analysis (epochs and layers)', s.length, () => {
      const a = analyseVoice([s.base.samples], s.rate, s.reading.f0, s.reading.hop);
      for (const g of a.segments) a.layersOf(g, 0);
    }),
    row('every note shifted by 3', shift),
    row('every note shifted by 12', { ...shift, offsetCents: s.filled(1200) }),
    row('stretched to twice the length', s.plan({ time: TimeMap.stretch(2, s.length) })),
    { what: 'general library, shifted by 3', best: general },
  ];
}
