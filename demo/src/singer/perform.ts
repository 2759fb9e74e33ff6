import { seededRandom } from '@essim/core';
import { articulate, controlTracks, type Controls, type Segment } from './gestures';
import { indexer } from './curves';
import { intone, type Expression } from './intonation';
import { isSonorant, isVoiceless, VOICES, type Voice } from './phonemes';
import type { Phone, Syllable, TimedSyllable } from './score';
import { timePhones } from './timing';
import { renderTract, SAMPLE_RATE } from './tract';

export interface TruthNote {
  /** Onset of the vowel. */
  start: number;
  /** Where its voice begins: the voiced consonants before the vowel are part of the note. */
  voiceStart: number;
  end: number;
  /** As written. */
  midi: number;
  /** Mean pitch over the middle of the note. */
  sung: number;
  word: string;
  mistake?: string;
}
export interface TruthNoise {
  start: number;
  end: number;
  kind: 'breath' | 'sibilant' | 'plosive' | 'fricative' | 'aspirate' | 'click';
  phone: string;
  /** Stuck to the note after it. */
  glued?: boolean;
}
export interface TruthWord {
  word: string;
  start: number;
  end: number;
  phrase: number;
  syllables: number;
}
/** What was really sung. Times in seconds, pitch in MIDI numbers, f0 in Hz each hop, 0 where the folds are still. */
export interface Truth {
  sampleRate: number;
  duration: number;
  hop: number;
  f0: number[];
  notes: TruthNote[];
  words: TruthWord[];
  noises: TruthNoise[];
  /** Stretches that are talked. */
  spoken: { start: number; end: number }[];
  /** Their syllables: where the vowel begins, where the voice does, and where it ends. */
  said: { start: number; voiceStart: number; end: number }[];
}

export interface Performance {
  samples: Float32Array;
  truth: Truth;
}

export interface PerformanceOptions {
  seed: number;
  duration: number;
  gainDb?: number;
  expression?: Partial<Expression>;
  /** Added to the pitch of every moment after the performance is decided: the same singing, transposed. */
  transposeCents?: number;
  /** Length of everything times this after the performance is decided: the same singing at another pace. */
  pace?: number;
}

const HOP = 0.005;

/** Sings a score. Seeded: the same call gives the same samples. */
export function perform(
  score: Syllable[],
  voiceName: string | Voice,
  { seed, duration, gainDb = 0, expression, transposeCents = 0, pace = 1 }: PerformanceOptions,
): Performance {
  const voice = typeof voiceName === 'string' ? VOICES[voiceName] : voiceName;
  const random = seededRandom(seed);
  const n = Math.ceil(duration * 1000) + 1;
  const { syllables, phones } = timePhones(score, random);
  const tune = intone(syllables, phones, voice, random, n, {
    wander: 1,
    vibrato: 1,
    micro: 1,
    dynamics: 1,
    ...expression,
  });
  const segments = articulate(syllables, phones, random);
  const controls = controlTracks(segments, syllables, voice, tune, random, n, gainDb);
  if (transposeCents) {
    const ratio = 2 ** (transposeCents / 1200);
    for (let j = 0; j < n; j++) controls.hz[j] *= ratio;
    for (let j = 0; j < n; j++) tune.cents[j] += transposeCents;
  }
  const truth = truthOf(syllables, phones, segments, controls, tune.cents, duration);
  if (pace === 1) return { samples: renderTract(controls, voice, random), truth };
  const paced = atPace(controls, pace);
  return { samples: renderTract(paced, voice, random), truth: truthAtPace(truth, paced, pace) };
}

/** Every control, spread over another length. */
function atPace(c: Controls, pace: number): Controls {
  const n = Math.round((c.hz.length - 1) * pace) + 1;
  const spread = (x: Float32Array) =>
    Float32Array.from({ length: n }, (_, j) => {
      const q = Math.min(x.length - 1, j / pace);
      const k = Math.floor(q);
      return x[k] + (x[Math.min(x.length - 1, k + 1)] - x[k]) * (q - k);
    });
  const all = (v: unknown): unknown =>
    v instanceof Float32Array
      ? spread(v)
      : Array.isArray(v)
        ? v.map(all)
        : Object.fromEntries(Object.entries(v as object).map(([k, w]) => [k, all(w)]));
  const out = all(c) as Controls;
  // a pitch half-way to silence is no pitch
  for (let j = 0; j < n; j++) out.hz[j] = c.hz[Math.min(c.hz.length - 1, Math.round(j / pace))];
  return out;
}

function truthAtPace(t: Truth, c: Controls, pace: number): Truth {
  const spans = <T extends { start: number; end: number }>(list: T[]) =>
    list.map(s => ({ ...s, start: s.start * pace, end: s.end * pace }));
  return {
    ...t,
    duration: t.duration * pace,
    f0: pitchesOf(c, t.duration * pace),
    notes: spans(t.notes).map(n => ({ ...n, voiceStart: n.voiceStart * pace })),
    words: spans(t.words),
    noises: spans(t.noises),
    spoken: spans(t.spoken),
    said: spans(t.said),
  };
}

function pitchesOf(c: Controls, duration: number): number[] {
  const at = indexer(c.hz.length);
  return Array.from({ length: Math.floor(duration / HOP) }, (_, k) => {
    const j = at(k * HOP);
    return c.voicing[j] > 0.012 && c.sounding[j] > 0.03 ? Math.round(c.hz[j] * 1e4) / 1e4 : 0;
  });
}

function truthOf(
  syllables: TimedSyllable[],
  phones: Phone[],
  segments: Segment[],
  c: Controls,
  cents: Float32Array,
  duration: number,
): Truth {
  const at = indexer(cents.length);
  const f0 = pitchesOf(c, duration);
  const notes: TruthNote[] = [];
  const words: TruthWord[] = [];
  const spoken: Truth['spoken'] = [];
  const said: Truth['said'] = [];
  syllables.forEach((s, i) => {
    const own = phones.filter(p => p.syllable === i);
    const sonorant = own.filter(p => p.position === 'coda' && isSonorant(p.name)).pop();
    const end = (sonorant ?? own.find(p => p.position === 'vowel')!).end;
    const vowel = own.findIndex(p => p.position === 'vowel');
    let first = vowel;
    while (first > 0 && !isVoiceless(own[first - 1].name)) first--;
    if (s.spoken) {
      const before = spoken[spoken.length - 1];
      if (before && own[0].start - before.end < 0.3) before.end = end;
      else spoken.push({ start: own[first].start, end });
      said.push({ start: own[vowel].start, voiceStart: own[first].start, end });
    }
    s.notes.forEach((q, m) => {
      if (s.spoken) return;
      const from = s.t + q.at;
      const to = m + 1 < s.notes.length ? s.t + s.notes[m + 1].at : end;
      let sum = 0;
      const i0 = at(from + 0.3 * (to - from));
      const i1 = at(from + 0.85 * (to - from));
      for (let j = i0; j <= i1; j++) sum += cents[j];
      notes.push({
        start: from,
        voiceStart: m === 0 ? own[first].start : from,
        end: to,
        midi: q.midi,
        sung: sum / (i1 - i0 + 1) / 100,
        word: s.word,
        mistake: s.mistake,
      });
    });
    const last = words[words.length - 1];
    const wordEnd = own[own.length - 1].end;
    if (last && s.continues) {
      last.end = wordEnd;
      last.syllables++;
    } else words.push({ word: s.word, start: own[0].start, end: wordEnd, phrase: s.phrase, syllables: 1 });
  });
  return { sampleRate: SAMPLE_RATE, duration, hop: HOP, f0, notes, words, noises: noisesOf(segments), spoken, said };
}

function noisesOf(segments: Segment[]): TruthNoise[] {
  const kindOf = (s: Segment): TruthNoise['kind'] | undefined => {
    const hissing = s.place === 's' || s.place === 'sh';
    if (s.kind === 'click' || s.kind === 'breath' || s.kind === 'aspirate') return s.kind;
    if (s.kind === 'burst') return hissing ? 'sibilant' : 'plosive';
    if (s.kind === 'fricative') return hissing ? 'sibilant' : s.voicingDb === undefined ? 'fricative' : undefined;
    return undefined;
  };
  return segments.flatMap((s, i) => {
    const kind = kindOf(s);
    if (!kind) return [];
    const release = kind === 'plosive' && segments[i + 1]?.kind === 'release' ? segments[i + 1] : undefined;
    return [{ start: s.start, end: release?.end ?? s.end, kind, phone: s.phone, glued: s.glued }];
  });
}
