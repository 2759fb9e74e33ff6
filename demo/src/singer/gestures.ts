import { clamp, dbToGain, smoothStep, type Random } from '@essim/core';
import { box, indexer, slowNoise } from './curves';
import type { Intonation } from './intonation';
import {
  FRICTION,
  isSonorant,
  isVoiceless,
  isVowel,
  PHONEMES,
  type Formants,
  type FrictionPlace,
  type Vowel,
  type Voice,
} from './phonemes';
import type { Phone, TimedSyllable } from './score';

/** Everything the sound needs, one value a millisecond. Amplitudes are linear, formants and bandwidths in Hz. */
export interface Controls {
  hz: Float32Array;
  /** Centre of formant 1..5. */
  formant: Float32Array[];
  bandwidth1: Float32Array;
  nasality: Float32Array;
  murmurZero: Float32Array;
  murmurPole: Float32Array;
  voicing: Float32Array;
  aspiration: Float32Array;
  friction: Float32Array;
  /** Centre, bandwidth and gain of the three friction poles. */
  frictionPole: { centre: Float32Array; width: Float32Array; gain: Float32Array }[];
  muffled: Float32Array;
  rd: Float32Array;
  grit: Float32Array;
  /** Open glottis: all formants damped, 0..1. */
  open: Float32Array;
  /** Whether the folds sound at all: voicing before loudness. */
  sounding: Float32Array;
}

/** A stretch of one articulation. A stop is three of them. */
export interface Segment {
  start: number;
  end: number;
  kind: 'vowel' | 'liquid' | 'nasal' | 'fricative' | 'aspirate' | 'closure' | 'burst' | 'release' | 'breath' | 'click';
  phone: string;
  formants: Formants;
  glideTo?: Formants;
  transition: number;
  voicingDb?: number;
  aspirationDb?: number;
  frictionDb?: number;
  place: FrictionPlace;
  muffled: number;
  murmur?: [number, number];
  glued?: boolean;
}

const NEUTRAL_BREATH: Formants = [640, 1620, 2600, 3600];

/** Formants the vowels around a consonant ask of it. */
function vowelsBeside(phones: Phone[], i: number): Formants {
  const here = phones[i];
  let next: Vowel | undefined;
  let previous: Vowel | undefined;
  for (let j = i + 1; j < phones.length && phones[j].start - here.end < 0.3 && !next; j++)
    if (isVowel(phones[j].name)) next = PHONEMES[phones[j].name] as Vowel;
  for (let j = i - 1; j >= 0 && here.start - phones[j].end < 0.3 && !previous; j--)
    if (isVowel(phones[j].name)) previous = PHONEMES[phones[j].name] as Vowel;
  const after = next?.formants;
  const before = previous?.glideTo ?? previous?.formants;
  if (!after || !before) return (after ?? before)!;
  const w = here.position === 'onset' ? 0.75 : 0.25;
  return after.map((f, k) => f * w + before[k] * (1 - w)) as Formants;
}

function consonantFormants(name: string, beside: Formants): Formants {
  const p = PHONEMES[name];
  if (p.type === 'vowel') return p.formants;
  if (p.type === 'aspirate') return beside;
  const f = p.formants.map((locus, k) => p.own[k] * locus + (1 - p.own[k]) * beside[k]) as Formants;
  if (p.type === 'stop' && p.velar) {
    f[1] = clamp(beside[1] * 0.85 + 330, 1050, 2350) * 0.8 + 0.2 * f[1];
    f[2] = Math.max(f[1] + 250, f[2]);
  }
  return f;
}

/** Phones and breaths as a list of articulations in time order. */
export function articulate(syllables: TimedSyllable[], phones: Phone[], random: Random): Segment[] {
  const segments: Segment[] = [];
  phones.forEach((p, i) => {
    const q = PHONEMES[p.name];
    const formants = isVowel(p.name) ? (q as Vowel).formants : consonantFormants(p.name, vowelsBeside(phones, i));
    const base = {
      start: p.start,
      end: p.end,
      phone: p.name,
      formants,
      transition: 0.04,
      place: 'none' as FrictionPlace,
      muffled: 0,
    };
    if (q.type === 'vowel') segments.push({ ...base, kind: 'vowel', glideTo: q.glideTo, voicingDb: 0 });
    else if (q.type !== 'stop' && q.type !== 'fricative' && q.type !== 'aspirate')
      segments.push({
        ...base,
        kind: q.type,
        voicingDb: q.voicingDb,
        murmur: q.murmur,
        transition: q.transitionMs / 1000,
      });
    else if (q.type === 'fricative')
      segments.push({
        ...base,
        kind: 'fricative',
        voicingDb: q.voicingDb,
        frictionDb: q.frictionDb,
        place: q.spectrum,
        muffled: q.muffled ?? 0,
        transition: q.transitionMs / 1000,
      });
    else if (q.type === 'aspirate')
      segments.push({ ...base, kind: 'aspirate', aspirationDb: q.aspirationDb, transition: 0.03 });
    else {
      const next = phones[i + 1];
      const beforeRest = !next || next.start - p.end > 0.02;
      const transition = q.transitionMs / 1000;
      const closed = { ...base, kind: 'closure' as const, voicingDb: q.voiceBarDb, muffled: 1, transition };
      if (!beforeRest && p.position === 'coda' && !isVowel(next.name)) {
        segments.push(closed); // before another consonant it is not let go
        return;
      }
      const scale = (p.end - p.start) / ((q.closureMs + q.burstMs + q.aspirationMs) / 1000);
      const burstAt = p.start + (q.closureMs * scale) / 1000;
      const releaseAt = burstAt + Math.min(q.burstMs * scale, q.burstMs * 1.1) / 1000;
      const voiced = q.voiceBarDb !== undefined;
      segments.push({ ...closed, end: burstAt });
      segments.push({
        ...base,
        start: burstAt,
        end: releaseAt,
        kind: 'burst',
        frictionDb: q.frictionDb - (beforeRest ? 3 : 0) + 0.8 * random.normal(),
        place: q.spectrum,
        voicingDb: voiced ? -10 : undefined,
        transition: 0.008,
      });
      segments.push({
        ...base,
        start: releaseAt,
        kind: 'release',
        aspirationDb: q.aspirationDb - (beforeRest ? 6 : 0),
        voicingDb: voiced ? -8 : undefined,
        transition: 0.03,
      });
    }
  });
  for (const s of syllables) {
    if (!s.breath) continue;
    const end = s.start - s.breath.gap;
    const start = end - s.breath.length;
    // one breath is not like the next: through a rounder or a wider mouth
    const mouth = 1 + 0.09 * random.normal();
    const formants = NEUTRAL_BREATH.map((f, k) => f * (k < 2 ? mouth : 1)) as Formants;
    segments.push({
      start,
      end,
      kind: 'breath',
      phone: 'breath',
      formants,
      transition: 0.06,
      aspirationDb: s.breath.levelDb,
      place: 'none',
      muffled: 0,
      glued: s.breath.gap <= 0.005 || undefined,
    });
    if (random.uniform() < 0.45) {
      const t = start - 0.03 - 0.05 * random.uniform();
      if (t > 0.1)
        segments.push({
          start: t,
          end: t + 0.005,
          kind: 'click',
          phone: 'click',
          formants: [400, 1500, 2500, 3500],
          transition: 0.02,
          frictionDb: -27 + 3 * random.normal(),
          place: 'k',
          muffled: 0,
        });
    }
  }
  return segments.sort((a, b) => a.start - b.start);
}

/** Formant movement: targets, then one smooth passage at every border. */
function formantTracks(segments: Segment[], n: number): Float32Array[] {
  const at = indexer(n);
  const targets = [0, 1, 2, 3].map(() => new Float32Array(n));
  segments.forEach((s, i) => {
    const until = segments[i + 1] ? segments[i + 1].start : n / 1000;
    for (let j = i ? at(s.start) : 0; j <= at(Math.max(until, s.end)); j++) {
      const f = targetAt(s, Math.min(j / 1000, s.end));
      for (let k = 0; k < 4; k++) targets[k][j] = f[k];
    }
  });
  return targets.map((source, k) => {
    const out = Float32Array.from(source);
    for (let i = 1; i < segments.length; i++) {
      const a = segments[i - 1];
      const b = segments[i];
      const passage =
        Math.max(a.transition, b.transition, a.kind === 'vowel' && b.kind === 'vowel' ? 0.09 : 0) *
        (k === 0 ? 0.85 : 1);
      const lengthA = Math.max(0.004, (a.end - a.start) * 0.55);
      const lengthB = Math.max(0.004, (b.end - b.start) * 0.62);
      let before = Math.min(passage * (b.kind === 'vowel' ? 0.5 : 0.95), lengthA);
      let after = Math.min(passage * (b.kind === 'vowel' ? 1.05 : 0.5), lengthB);
      const abrupt = (s: Segment) => s.kind === 'burst' || s.kind === 'click';
      if (abrupt(a) || abrupt(b)) {
        before = Math.min(before, 0.004);
        after = Math.min(after, 0.006);
      }
      if (a.kind === 'release' || (a.kind === 'aspirate' && b.kind === 'vowel')) {
        before = lengthA;
        after = Math.min(0.05, lengthB);
      }
      const x0 = at(b.start - before);
      const x1 = at(b.start + after);
      const y0 = out[x0];
      const y1 = source[x1];
      for (let j = x0; j <= x1 && x1 > x0; j++) out[j] = y0 + (y1 - y0) * smoothStep((j - x0) / (x1 - x0));
    }
    return box(out, 9);
  });
}

function targetAt(s: Segment, t: number): Formants {
  if (!s.glideTo) return s.formants;
  const length = s.end - s.start;
  const glide = clamp(length * 0.35, 0.09, 0.2);
  const u = smoothStep((t - (s.end - glide)) / (glide * 1.05));
  const early = length > 0.25 ? smoothStep((t - s.start) / 0.12) * 0.06 : 0;
  return s.formants.map((f, k) => f + (s.glideTo![k] - f) * clamp(u * 0.92 + early, 0, 1)) as Formants;
}

const level = (db: number | undefined) => (db === undefined ? 0 : dbToGain(db));

/** Shape of a noise over its own length u = 0..1. */
function noiseShape(s: Segment, u: number): number {
  switch (s.kind) {
    case 'fricative':
      return s.voicingDb !== undefined
        ? Math.sin(Math.PI * clamp(u * 0.94 + 0.03, 0, 1)) ** 0.6
        : Math.min(1, u / 0.3) ** 0.8 * Math.min(1, (1 - u) / 0.16) ** 0.6;
    case 'burst':
      return s.phone === 'CH' || s.phone === 'JH' ? 1 - 0.5 * u : Math.exp(-1.6 * u);
    case 'breath':
      return (
        smoothStep(u / 0.55) ** 0.8 *
        (s.glued ? 1 : smoothStep((1 - u) / 0.16)) *
        (0.82 + 0.18 * Math.sin(11 * u + s.start * 40))
      );
    case 'release':
      return 1 - 0.45 * u;
    case 'aspirate':
      return smoothStep(u / 0.3 + 0.2);
    default:
      return 1;
  }
}

/** All control tracks of a performance of n milliseconds. */
export function controlTracks(
  segments: Segment[],
  syllables: TimedSyllable[],
  voice: Voice,
  tune: Intonation,
  random: Random,
  n: number,
  gainDb: number,
): Controls {
  const at = indexer(n);
  const track = () => new Float32Array(n);
  const formants = formantTracks(segments, n);
  const raw = { voicing: track(), aspiration: track(), friction: track(), nasality: track(), muffled: track() };
  const murmurZero = track().fill(1000);
  const murmurPole = track().fill(1300);
  const frictionPole = FRICTION.none.map(([centre, width]) => ({
    centre: track().fill(centre),
    width: track().fill(width),
    gain: track(),
  }));
  for (const s of segments) {
    const a = at(s.start);
    const b = at(s.end);
    for (let j = a; j < b; j++) {
      const e = noiseShape(s, (j - a) / (b - a));
      raw.voicing[j] = level(s.voicingDb);
      raw.muffled[j] = s.muffled;
      raw.nasality[j] = s.kind === 'nasal' ? 1 : 0;
      raw.friction[j] = level(s.frictionDb) * e;
      raw.aspiration[j] = level(s.aspirationDb) * e;
      if (s.place !== 'none')
        frictionPole.forEach((pole, q) => {
          pole.centre[j] = frictionCentre(s.place, q, formants[1][j]) * voice.upper;
          pole.width[j] = FRICTION[s.place][q][1];
          pole.gain[j] = FRICTION[s.place][q][2];
        });
    }
    if (s.murmur)
      for (let j = Math.max(0, a - 60); j < Math.min(n, b + 60); j++) {
        murmurZero[j] = s.murmur[0] * voice.tract;
        murmurPole[j] = s.murmur[1] * voice.tract;
      }
  }
  const voicing = box(box(raw.voicing, 7), 6);
  const aspiration = box(raw.aspiration, 6);
  const friction = box(raw.friction, 1);
  const muffled = box(raw.muffled, 5);
  const nasal = box(box(raw.nasality, 10), 6);
  const nasalVowel = box(box(raw.nasality, 45, 55), 20);
  const edge = onsetsAndReleases(syllables, n, at);
  const drift = [0.022, 0.016, 0.012, 0.01].map(amount => slowNoise(n, 1.8, random.normal).map(x => 1 + amount * x));
  const out: Controls = {
    hz: tune.cents.map(c => 440 * 2 ** ((c - 6900) / 1200)),
    formant: [0, 1, 2, 3, 4].map(track),
    bandwidth1: track(),
    nasality: nasal.map((x, j) => Math.max(x, 0.35 * nasalVowel[j])),
    murmurZero,
    murmurPole,
    voicing: track(),
    aspiration: track(),
    friction: track(),
    frictionPole,
    muffled,
    rd: track(),
    grit: tune.grit,
    open: track(),
    sounding: track(),
  };
  const breath = dbToGain(voice.breathDb);
  for (let j = 0; j < n; j++) {
    const loud = tune.loudnessDb[j];
    const hz = out.hz[j];
    let f1 = formants[0][j] * voice.tract * drift[0][j];
    const on = voicing[j] * edge.shape[j];
    if (voicing[j] > 0.3) {
      // a singer opens the mouth with pitch and loudness, and keeps the first formant above the note
      f1 += 0.12 * Math.max(0, hz - 220) * clamp((voicing[j] - 0.3) / 0.5, 0, 1);
      f1 *= 1 + 0.006 * loud;
      const short = hz * 1.06 + 60 - f1;
      if (short > 0) f1 += short > 120 ? short - 60 : (short * short) / 240;
    }
    const ring = voice.ring * clamp(0.6 + 0.06 * loud, 0, 1.2);
    const [F1, F2, F3, F4, F5] = out.formant;
    F1[j] = f1;
    F2[j] = Math.max(f1 + 180, formants[1][j] * voice.tract * drift[1][j]);
    F3[j] = Math.max(F2[j] + 200, formants[2][j] * voice.tract * drift[2][j]);
    F4[j] = Math.max(F3[j] + 250, formants[3][j] * voice.upper * (1 - 0.07 * ring));
    F5[j] = Math.max(F4[j] + 300, 4250 * voice.upper * (1 - 0.1 * ring) * drift[3][j]);
    out.voicing[j] = on * dbToGain(loud + gainDb);
    out.sounding[j] = on;
    out.rd[j] = clamp(
      voice.rd -
        0.035 * loud -
        0.006 * (tune.cents[j] / 100 - voice.middlePitch) +
        edge.rd[j] +
        0.5 * (1 - clamp(voicing[j], 0, 1)) +
        tune.rdShift[j],
      0.45,
      2.6,
    );
    out.aspiration[j] =
      (aspiration[j] * (0.75 + 0.25 * dbToGain(loud)) +
        edge.breath[j] * dbToGain(loud * 0.5) +
        breath * on * dbToGain(loud * 0.6) * (1 + 1.2 * edge.rd[j])) *
      dbToGain(gainDb);
    out.friction[j] = friction[j] * dbToGain(loud * 0.45 + gainDb);
    out.open[j] = clamp(aspiration[j] * 6, 0, 1) * (1 - clamp(on * 2, 0, 1));
    out.bandwidth1[j] = 58 + 0.055 * f1 + 60 * clamp(nasalVowel[j], 0, 1) + 25 * (out.rd[j] - 1);
  }
  return out;
}

function frictionCentre(place: FrictionPlace, pole: number, f2: number): number {
  const centre = FRICTION[place][pole][0];
  if (place === 'k' && pole === 0) return clamp(f2 * 1.02, 900, 2600);
  if (place === 's') return centre * (0.93 + 0.07 * clamp((f2 - 900) / 900, 0, 1.3));
  if (place === 'sh') return centre * (0.92 + 0.08 * clamp((f2 - 900) / 900, 0, 1.3));
  return centre;
}

/** How voice begins after a rest and dies before one: level, softness of the folds, escaping air. */
function onsetsAndReleases(syllables: TimedSyllable[], n: number, at: (t: number) => number) {
  const shape = new Float32Array(n).fill(1);
  const rd = new Float32Array(n);
  const breath = new Float32Array(n);
  for (const s of syllables) {
    const voiced = s.phonesOf.filter(p => !isVoiceless(p.name));
    if (!s.legatoIn) {
      const t0 = (s.phonesOf.find(p => PHONEMES[p.name].type !== 'stop' && !isVoiceless(p.name)) ?? voiced[0]).start;
      const length = s.hardOnset ? 0.018 : 0.05;
      for (let j = at(t0 - 0.02); j < at(t0 + 0.12); j++) {
        const u = j / 1000 - t0;
        shape[j] *= smoothStep((u + 0.015) / length);
        rd[j] += (s.hardOnset ? 0.1 : 0.7) * Math.exp(-Math.max(0, u) / 0.035);
        breath[j] += dbToGain(-16) * Math.exp(-((u / 0.03) ** 2)) * (s.hardOnset ? 0.3 : 1);
      }
    }
    if (s.tied) continue;
    const last = voiced.filter(p => PHONEMES[p.name].type !== 'stop').pop()!;
    const cutShort = s.phonesOf[s.phonesOf.length - 1].end > last.end + 0.005;
    const length = cutShort
      ? 0.03
      : last.position === 'coda' && isSonorant(last.name)
        ? clamp(0.65 * (last.end - last.start), 0.04, 0.12)
        : clamp(0.3 * s.duration, 0.07, 0.2);
    for (let j = at(last.end - length - 0.05); j < at(last.end + 0.16); j++) {
      const u = (j / 1000 - (last.end - length)) / length;
      shape[j] *= 1 - smoothStep(u);
      rd[j] += 0.9 * smoothStep(u * 1.1 + 0.15);
      if (!cutShort) breath[j] += dbToGain(-20) * smoothStep(u + 0.3) * (1 - smoothStep((j / 1000 - last.end) / 0.09));
    }
  }
  return { shape, rd, breath };
}
