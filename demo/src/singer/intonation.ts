import { clamp, smoothStep, type Random } from '@essim/core';
import { box, indexer, slowNoise } from './curves';
import { isVoiceless, PHONEMES, type Voice } from './phonemes';
import type { Phone, TimedSyllable } from './score';

/** How far the singer's own movements are carried out; 1 is natural. */
export interface Expression {
  wander: number;
  vibrato: number;
  micro: number;
  dynamics: number;
}

export interface Intonation {
  /** Pitch in cents per millisecond. */
  cents: Float32Array;
  loudnessDb: Float32Array;
  /** Added to the glottal shape by vibrato and slow unrest. */
  rdShift: Float32Array;
  grit: Float32Array;
}

interface NoteEvent {
  start: number;
  end: number;
  midi: number;
  offCents: number;
  syllable: TimedSyllable;
  index: number;
  firstOfSyllable: boolean;
  afterRest: boolean;
  beforeRest: boolean;
}

/** Pitch and loudness of a performance, one value a millisecond. Follows Sundberg 1987 in its habits. */
export function intone(
  syllables: TimedSyllable[],
  phones: Phone[],
  voice: Voice,
  random: Random,
  n: number,
  how: Expression,
): Intonation {
  const cents = new Float32Array(n);
  const loudnessDb = new Float32Array(n);
  const rdShift = new Float32Array(n);
  const at = indexer(n);
  const events: NoteEvent[] = syllables.flatMap(s =>
    s.notes.map((q, m) => ({
      start: s.t + q.at,
      end: m + 1 < s.notes.length ? s.t + s.notes[m + 1].at : s.t + s.duration,
      midi: q.midi,
      offCents: q.cents ?? s.cents ?? 0,
      syllable: s,
      index: m,
      firstOfSyllable: m === 0,
      afterRest: m === 0 && !s.legatoIn,
      beforeRest: m === s.notes.length - 1 && !s.tied,
    })),
  );

  // a staircase begun before each vowel, followed by a damped second-order system: glide and small overshoot
  const target = new Float32Array(n);
  const restart = new Uint8Array(n);
  const extra = new Float32Array(n);
  events.forEach((e, k) => {
    const lead = e.firstOfSyllable ? clamp(0.6 * (e.start - e.syllable.start) + 0.03, 0.03, 0.075) : 0.035;
    const from = k ? at(e.afterRest ? e.syllable.start - 0.05 : e.start - lead) : 0;
    const next = events[k + 1];
    const before = events[k - 1];
    const drift = 6 * random.normal() * how.wander;
    for (let j = from; j < (next ? at(next.start) : n); j++) {
      const u = clamp((j / 1000 - e.start) / (e.end - e.start), 0, 1);
      target[j] = e.midi * 100 + e.offCents + drift * (2 * u - 1);
    }
    if (e.afterRest || !k) restart[from] = 1;
    // the voice ducks a little before a leap
    const leap = before && !e.afterRest ? (e.midi - before.midi) * 100 : 0;
    if (Math.abs(leap) >= 150) {
      const depth = -Math.sign(leap) * Math.min(30, 0.07 * Math.abs(leap)) * how.micro;
      for (let j = at(e.start - 0.22); j < at(e.start); j++)
        extra[j] += depth * Math.exp(-0.5 * ((j / 1000 - (e.start - lead - 0.045)) / 0.026) ** 2);
    }
    const natural = e.afterRest
      ? 45 + 25 * Math.abs(random.normal())
      : random.uniform() < 0.25
        ? 20 + 20 * random.uniform()
        : 0;
    const scoop = (e.firstOfSyllable ? (e.syllable.scoopCents ?? natural) : 0) * how.micro;
    if (scoop) {
      const t0 = e.syllable.start;
      const tau = e.syllable.scoopTime ?? 0.055;
      for (let j = at(t0 - 0.03); j < at(e.start + 0.6); j++) {
        const u = j / 1000 - e.start;
        const shape =
          u >= 0
            ? (1 + u / tau) * Math.exp(-u / tau)
            : e.afterRest
              ? 1
              : smoothStep((j / 1000 - t0 + 0.03) / (e.start - t0 + 0.03));
        extra[j] -= scoop * shape;
      }
    }
    if (e.beforeRest) {
      const fall = e.syllable.fallCents ?? 25 + 20 * random.uniform();
      const length = e.syllable.fallCents ? 0.16 : 0.09;
      for (let j = at(e.end - length); j < at(e.end + 0.15); j++)
        extra[j] -= fall * clamp((j / 1000 - (e.end - length)) / length, 0, 1.6) ** 2 * how.micro;
    }
  });
  let x = target[0];
  let dx = 0;
  const w = 36;
  for (let j = 0; j < n; j++) {
    if (restart[j]) {
      x = target[j];
      dx = 0;
    }
    dx += 0.001 * (w * w * (target[j] - x) - 2 * 0.74 * w * dx);
    x += 0.001 * dx;
    cents[j] = x;
  }

  for (const e of events) addVibrato(e, voice, random, how, at, { cents, loudnessDb, rdShift });
  const slow = slowNoise(n, 0.9, random.normal);
  const fine = slowNoise(n, 7, random.normal);
  const pressure = slowNoise(n, 2.6, random.normal);
  for (let j = 0; j < n; j++) {
    cents[j] += extra[j] + how.wander * (voice.wanderCents * slow[j] + 3.2 * fine[j]);
    loudnessDb[j] += 0.5 * fine[j] + 0.4 * slow[j];
    rdShift[j] += 0.05 * pressure[j]; // a held vowel never keeps one colour
  }
  speak(syllables, voice, random, cents, at);
  consonantPull(phones, cents, how.micro, at);
  const grit = phrasing(syllables, voice, random, how, cents, loudnessDb, at);
  return { cents, loudnessDb, rdShift, grit };
}

const endOf = (s: TimedSyllable): number => s.t + s.duration;

/** Talked syllables: an accent at the vowel, then down towards the next one, the whole sinking until a pause (Pierrehumbert 1980). */
function speak(
  syllables: TimedSyllable[],
  voice: Voice,
  random: Random,
  cents: Float32Array,
  at: (t: number) => number,
): void {
  let since = 0;
  let last = 0;
  syllables.forEach((s, i) => {
    if (!s.spoken) return;
    const next = syllables[i + 1];
    const goesOn = next?.spoken && next.start - endOf(s) < 0.15;
    if (s.start - last > 0.25) since = 0;
    last = endOf(s);
    const base = (voice.middlePitch - 4) * 100 - 25 * since++;
    const accent = base + (s.stress > 0 ? 430 : 190) + 110 * random.normal();
    const low = accent - (s.stress > 0 ? 420 : 260) - 60 * Math.abs(random.normal()) - (goesOn ? 0 : 250);
    const peak = s.t + 0.35 * s.duration;
    const from = at(s.start - 0.05);
    const start = since > 1 ? cents[from] : base - 60;
    for (let j = from; j < at(endOf(s) + 0.05); j++) {
      const t = j / 1000;
      cents[j] =
        t < peak
          ? start + (accent - start) * smoothStep((t - s.start + 0.05) / (peak - s.start + 0.05))
          : accent + (low - accent) * smoothStep((t - peak) / (endOf(s) - peak + 0.03));
    }
  });
}

function addVibrato(
  e: NoteEvent,
  voice: Voice,
  random: Random,
  how: Expression,
  at: (t: number) => number,
  out: Omit<Intonation, 'grit'>,
): void {
  const length = e.end - e.start;
  const wish = e.syllable.vibrato;
  if (wish === 0) return;
  const depth = wish?.depth ?? (length > 0.55 ? clamp((length - 0.45) * 55, 8, 42) : 0);
  if (!depth) return;
  const rate = (wish?.rate ?? voice.vibratoHz) * (1 + 0.04 * random.normal());
  const delay = wish?.delay ?? clamp(0.32 * length, 0.18, 0.5);
  const build = wish?.build ?? 0.45;
  let phase = random.uniform() * 2 * Math.PI;
  let unrest = 0;
  for (let j = at(e.start); j < at(e.end + 0.05); j++) {
    const u = j / 1000 - e.start;
    unrest = unrest * 0.995 + 0.02 * random.normal();
    phase += (2 * Math.PI * rate * (1 + 0.05 * smoothStep((u - 0.6 * length) / (0.4 * length)) + 0.02 * unrest)) / 1000;
    const swing =
      depth *
      smoothStep((u - delay) / build) *
      smoothStep((e.end - j / 1000) / 0.1 + 0.25) *
      (1 + 0.35 * unrest) *
      how.vibrato;
    out.cents[j] += swing * Math.sin(phase);
    out.loudnessDb[j] += swing * 0.022 * Math.sin(phase - 0.5);
    out.rdShift[j] -= 0.0012 * swing * Math.sin(phase - 0.5);
  }
}

/** Voiced obstruents lower the pitch around them, voiceless ones raise it after. */
function consonantPull(phones: Phone[], cents: Float32Array, amount: number, at: (t: number) => number): void {
  for (const p of phones) {
    const q = PHONEMES[p.name];
    const voiceless = isVoiceless(p.name);
    const dip =
      q.type === 'stop'
        ? voiceless
          ? 0
          : -38
        : q.type === 'fricative'
          ? voiceless
            ? 0
            : -30
          : q.type === 'liquid'
            ? -8
            : 0;
    if (dip) {
      const middle = (p.start + p.end) / 2;
      const width = Math.max(0.02, (p.end - p.start) * 0.5);
      for (let j = at(middle - 3 * width); j < at(middle + 3 * width); j++)
        cents[j] += amount * dip * Math.exp(-0.5 * ((j / 1000 - middle) / width) ** 2);
    }
    if (!voiceless || q.type === 'aspirate') continue;
    for (let j = at(p.end - 0.03); j < at(p.end + 0.15); j++)
      cents[j] += amount * 26 * Math.exp(-Math.max(0, j / 1000 - p.end) / 0.03);
    for (let j = at(p.start - 0.05); j < at(p.start + 0.02); j++)
      cents[j] -= amount * 12 * smoothStep((j / 1000 - p.start + 0.05) / 0.05);
  }
}

/** Loudness: the phrase's arch, the pitch, the metre, the note's own shape. Returns grit, which rides along. */
function phrasing(
  syllables: TimedSyllable[],
  voice: Voice,
  random: Random,
  how: Expression,
  cents: Float32Array,
  loudnessDb: Float32Array,
  at: (t: number) => number,
): Float32Array {
  const n = cents.length;
  const spans = new Map<number, { from: number; to: number }>();
  for (const s of syllables) {
    const span = spans.get(s.phrase) ?? { from: s.start, to: 0 };
    spans.set(s.phrase, { from: span.from, to: s.t + s.duration });
  }
  const shape = new Float32Array(n);
  const grit = new Float32Array(n);
  syllables.forEach((s, i) => {
    const span = spans.get(s.phrase)!;
    const end = i + 1 < syllables.length && s.tied ? at(syllables[i + 1].start - 0.03) : at(s.t + s.duration + 0.25);
    const level = (s.gainDb ?? 0) + 0.8 * random.normal() + s.stress * 1.4;
    for (let j = at(s.start - 0.03); j < end; j++) {
      const u = clamp((j / 1000 - span.from) / (span.to - span.from), 0, 1);
      const v = clamp((j / 1000 - s.t) / s.duration, 0, 1);
      const arch = 3.2 * Math.sin(Math.PI * u ** 0.8) - 2.2 - 1.6 * u;
      const note = s.duration > 0.5 ? 1.6 * Math.sin(Math.PI * v ** 0.7) - 2.4 * Math.max(0, v - 0.55) : -0.8 * v;
      shape[j] = how.dynamics * (arch + note + 0.32 * (cents[j] / 100 - voice.middlePitch)) + level;
      grit[j] = Math.max(grit[j], s.grit ?? 0);
    }
  });
  const smooth = box(shape, 45, 35);
  for (let j = 0; j < n; j++) loudnessDb[j] += smooth[j];
  return box(grit, 60);
}
