import {
  floatsOf,
  alignPair,
  analyseVoice,
  neutralPlan,
  noteFacts,
  planTake,
  quantile,
  readTake,
  renderAll,
  scaleOfKey,
  seededRandom,
  settle,
  splitTake,
  TimeMap,
  type Key,
  type Reading,
  type VoiceAnalysis,
  type VoicePlan,
} from '@essim/core';
import type { Person } from './people';
import { hnr } from './sound';

/** A recorded person, read and ready for the engine. */
export interface Heard {
  person: Person;
  kind: string;
  reading: Reading;
  notes: Reading['notes'];
  voice: VoiceAnalysis;
}

export function hear(person: Person): Heard {
  const { samples, sampleRate, kind } = person;
  const reading = readTake(samples, sampleRate);
  const voice = analyseVoice([samples], sampleRate, reading.f0, reading.hop);
  return { person, kind, reading, notes: reading.notes, voice };
}

/** Notes shorter than this are not judged, s. */
const LONG = 0.25;
const STEPS: Record<string, number> = {
  C: 0,
  Db: 1,
  D: 2,
  Eb: 3,
  E: 4,
  F: 5,
  'F#': 6,
  G: 7,
  Ab: 8,
  A: 9,
  Bb: 10,
  B: 11,
};

/** Every note settled on the song's key, rendered and read again: cents off the notes' rails, and how many went to a wrong step. */
export function scoreSettled(all: readonly Heard[]): Record<string, string | number>[] {
  return byKind(all, ({ person, reading, voice }) => {
    const [tonic, mode] = (person.truth.key ?? 'C major').split(' ');
    const movements = splitTake(reading);
    const facts = noteFacts(movements);
    const edits = settle(facts, {}, scaleOfKey({ tonic: STEPS[tonic], mode } as Key));
    const [tuned] = renderAll(voice, planTake(movements, edits).voice);
    const after = readTake(tuned, person.sampleRate);
    return facts
      .filter(n => n.end - n.start > LONG)
      .map(n => {
        const common = (q: { start: number; end: number }) => Math.min(q.end, n.end) - Math.max(q.start, n.start);
        const nearest = <T extends { start: number; end: number }>(list: readonly T[]) =>
          list.reduce((a, b) => (common(b) > common(a) ? b : a));
        const target = edits[n.key].target!;
        const truth = nearest(person.truth.notes);
        return {
          off: Math.abs(nearest(after.notes).pitch - target) * 100,
          wrong: common(truth) > 0.1 && Math.abs(truth.rail - target) > 0.5,
        };
      });
  }).map(({ kind, values }) => ({
    of: kind,
    notes: values.length,
    'median c': quantile(
      values.map(v => v.off),
      0.5,
    ),
    '90 % c': quantile(
      values.map(v => v.off),
      0.9,
    ),
    'wrong steps %': (100 * values.filter(v => v.wrong).length) / values.length,
  }));
}

/**
 * Harmonics over noise after a shift, less those of the take over as long a time: an octave down two periods of the voice lie between
 * what is compared, so that two of the take's are compared too. Mean dB.
 */
export function scoreNoise(all: readonly Heard[]): Record<string, string | number>[] {
  const shifts = [-12, 4, 12];
  const columns = shifts.map(semitones =>
    byKind(all, ({ voice }) => {
      const { f0, hop, sampleRate: rate, channels } = voice;
      const ratio = 2 ** (semitones / 12);
      const x = floatsOf(channels[0]);
      const [y] = renderAll(voice, shifted(voice, 100 * semitones));
      const out: number[] = [];
      for (let k = 8; k + 8 < f0.length; k += 4) {
        const period = rate / f0[k];
        if (![-8, -4, 0, 4, 8].every(d => f0[k + d] > 0) || period / ratio < 24) continue;
        const at = Math.round(k * hop * rate);
        const periods = Math.max(1, Math.round(1 / ratio));
        out.push(hnr(y, at, period / ratio) - hnr(x, at, period * periods));
      }
      return out;
    }),
  );
  return columns[0].map(({ kind }, i) => ({
    of: kind,
    ...Object.fromEntries(shifts.map((s, c) => [`HNR at ${s > 0 ? '+' : ''}${s}, dB`, mean(columns[c][i].values)])),
  }));
}

const mean = (x: readonly number[]) => x.reduce((a, b) => a + b, 0) / Math.max(1, x.length);

function shifted(voice: VoiceAnalysis, cents: number): VoicePlan {
  const plan = neutralPlan(voice.frames, voice.hop);
  plan.offsetCents.fill(cents);
  plan.active.fill(1);
  return plan;
}

/** Where a follower's time is bent: each fifth of a second, so many seconds in the mean, at most so many. */
const BEND = { every: 0.22, by: 0.035, most: 0.15, shortest: 0.09 };

/** Takes bent in time against themselves, as they are and as by another voice (a fourth down, formants up): errors at note onsets, ms. */
export function scoreBent(all: readonly Heard[]): Record<string, string | number>[] {
  const others = { 'bent in time': 0, 'and by another voice': 1 };
  return Object.entries(others).flatMap(([follower, other]) =>
    byKind(all, ({ person, reading, voice }, i) => {
      const map = bentTime(person.truth.duration, 31 + i);
      const plan = other ? shifted(voice, -400) : neutralPlan(voice.frames, voice.hop);
      if (other) plan.formantCents = new Float32Array(voice.frames).fill(300);
      const [y] = renderAll(voice, { ...plan, time: map });
      const pitch = { lead: reading.f0, follower: readTake(y, person.sampleRate).f0 };
      const found = TimeMap.through(alignPair(person.samples, y, person.sampleRate, { pitch }).map);
      return person.truth.notes.map(n => Math.abs(found.forward(map.forward(n.start)) - n.start) * 1000);
    }).map(({ kind, values }) => ({
      of: kind,
      follower,
      'median ms': quantile(values, 0.5),
      '95 % ms': quantile(values, 0.95),
    })),
  );
}

function bentTime(duration: number, seed: number): TimeMap {
  const random = seededRandom(seed);
  const points: { from: number; to: number }[] = [];
  let late = 0;
  for (let t = 0.3; t < duration; t += BEND.every) {
    late = 0.85 * late + BEND.by * random.normal();
    const to = t + Math.max(-BEND.most, Math.min(BEND.most, late));
    points.push({ from: t, to: Math.max(to, (points.at(-1)?.to ?? 0) + BEND.shortest) });
  }
  return TimeMap.through(points);
}

/** What a measure gives of every take, gathered by kind. */
function byKind<T>(all: readonly Heard[], measure: (h: Heard, i: number) => T[]): { kind: string; values: T[] }[] {
  const out = new Map<string, T[]>();
  all.forEach((h, i) => {
    const values = out.get(h.kind) ?? [];
    values.push(...measure(h, i));
    out.set(h.kind, values);
  });
  return [...out].map(([kind, values]) => ({ kind, values }));
}
