import { midiToHz, seededRandom, type Random } from '@essim/core';
import type { SungSpan } from '@essim/core';

/** A song made up from a seed, with everything about it known: for measuring estimates. Not for listening. */
export interface MadeUpSong {
  sampleRate: number;
  /** The backing, one channel. */
  samples: Float32Array;
  bpm: number;
  beatsPerBar: 3 | 4;
  firstBarSeconds: number;
  key: { tonic: number; mode: 'major' | 'minor' };
  /** One a bar: pitch class of the root and whether it is minor. */
  chords: { root: number; minor: boolean }[];
  /** How far the tuning lies from A = 440 Hz. */
  tuningCents: number;
  /** The tune as a singer's reading would give it. */
  melody: SungSpan[];
}

const RATE = 24000;
const SCALES = { major: [0, 2, 4, 5, 7, 9, 11], minor: [0, 2, 3, 5, 7, 8, 10] };
/** Degrees (from 0) of common four-bar turns. */
const TURNS = {
  major: [
    [0, 3, 0, 4],
    [0, 4, 5, 3],
    [0, 5, 3, 4],
    [3, 0, 4, 5],
    [5, 3, 0, 4],
    [0, 1, 4, 0],
  ],
  minor: [
    [0, 5, 2, 6],
    [0, 3, 0, 4],
    [0, 6, 5, 4],
    [5, 6, 0, 0],
    [0, 3, 6, 2],
  ],
};
type Feel = 'struck' | 'broken' | 'held';

interface Styles {
  feel: Feel;
  drums: boolean;
  swing: number;
}

/** @param seconds about how long */
export function madeUpSong(seed: number, seconds = 40): MadeUpSong {
  const random = seededRandom(seed * 31 + 5);
  const pick = <T>(list: readonly T[]): T => list[Math.floor(random.uniform() * list.length)];
  for (let i = 0; i < 4; i++) random.uniform();
  const mode = random.uniform() < 0.6 ? 'major' : 'minor';
  const key = { tonic: Math.floor(random.uniform() * 12), mode } as MadeUpSong['key'];
  const bpm = Math.round(660 + random.uniform() * 840) / 10;
  const beatsPerBar = random.uniform() < 0.25 ? 3 : 4;
  const firstBarSeconds = random.uniform() < 0.5 ? 0 : random.uniform() * 2;
  const tuningCents = random.uniform() < 0.4 ? 0 : (random.uniform() - 0.5) * 60;
  const bar = (60 / bpm) * beatsPerBar;
  const bars = Math.max(8, Math.floor((seconds - firstBarSeconds) / bar / 4) * 4);
  const turns = [pick(TURNS[mode]), pick(TURNS[mode])];
  const degrees = Array.from({ length: bars }, (_, b) => turns[(b >> 3) % 2][b % 4]);
  degrees[bars - 1] = 0;
  const chords = degrees.map(d => chordOn(key, d));
  const styles: Styles = {
    feel: pick(['struck', 'broken', 'held'] as const),
    drums: random.uniform() < 0.75,
    swing: random.uniform() < 0.2 ? 0.12 : 0,
  };
  const samples = new Float32Array(Math.ceil((firstBarSeconds + bars * bar + 1) * RATE));
  const at = (b: number, beat: number) => {
    const swung = beat % 1 === 0.5 ? beat + styles.swing : beat;
    return firstBarSeconds + b * bar + (swung * 60) / bpm + 0.005 * random.normal();
  };
  chords.forEach((chord, b) => playBar(samples, chord, b, beatsPerBar, at, styles, tuningCents, random));
  return {
    sampleRate: RATE,
    samples,
    bpm,
    beatsPerBar,
    firstBarSeconds,
    key,
    chords,
    tuningCents,
    melody: melodyOver(chords, key, firstBarSeconds, bar, beatsPerBar, tuningCents, random),
  };
}

function chordOn(key: MadeUpSong['key'], degree: number): { root: number; minor: boolean } {
  const scale = SCALES[key.mode];
  const third = (scale[(degree + 2) % 7] - scale[degree] + 12) % 12;
  // the dominant of a minor key is as often major
  const minor = third === 3 && !(key.mode === 'minor' && degree === 4);
  return { root: (key.tonic + scale[degree]) % 12, minor };
}

function playBar(
  out: Float32Array,
  chord: { root: number; minor: boolean },
  b: number,
  beats: number,
  at: (bar: number, beat: number) => number,
  styles: Styles,
  cents: number,
  random: Random,
): void {
  const beat = at(0, 1) - at(0, 0);
  const low = 28 + ((chord.root + 8) % 12);
  const tones = [0, chord.minor ? 3 : 4, 7, 12].map(s => 52 + ((chord.root + 8) % 12) + s);
  tone(out, at(b, 0), low, beat * 1.8, 0.22, cents, 0.5);
  tone(out, at(b, beats === 3 ? 2 : 2), low + (random.uniform() < 0.4 ? 7 : 0), beat * 1.5, 0.16, cents, 0.5);
  if (styles.feel === 'held') for (const m of tones) tone(out, at(b, 0), m, beat * beats, 0.06, cents, 4);
  if (styles.feel === 'struck')
    for (let k = 0; k < beats; k++) for (const m of tones) tone(out, at(b, k), m, beat * 0.9, 0.05, cents, 0.35);
  if (styles.feel === 'broken')
    for (let k = 0; k < 2 * beats; k++)
      tone(out, at(b, k / 2), tones[[0, 2, 1, 3, 2, 1][k % 6]], beat, k % 2 ? 0.07 : 0.1, cents, 0.4);
  if (!styles.drums) return;
  for (let k = 0; k < beats; k++) {
    if (k === 0 || (beats === 4 && k === 2)) thump(out, at(b, k));
    else hiss(out, at(b, k), 0.12, 0.12, random);
    hiss(out, at(b, k), 0.04, 0.03, random);
    hiss(out, at(b, k + 0.5), 0.03, 0.02, random);
  }
}

/** A plucked or held tone of ten partials. */
function tone(out: Float32Array, t: number, midi: number, length: number, gain: number, cents: number, decay: number) {
  const hz = midiToHz(midi + cents / 100);
  const from = Math.max(0, Math.round(t * RATE));
  const n = Math.min(out.length - from, Math.round(length * RATE));
  for (let h = 1; h <= 10 && hz * h < 8000; h++) {
    const w = (2 * Math.PI * hz * h) / RATE;
    const g = gain / h ** 1.2;
    const d = decay / (1 + 0.15 * h);
    for (let i = 0; i < n; i++)
      out[from + i] +=
        g * Math.sin(w * i + h) * Math.exp(-i / (d * RATE)) * Math.min(1, i / 60) * Math.min(1, (n - i) / 400);
  }
}

function thump(out: Float32Array, t: number): void {
  const from = Math.max(0, Math.round(t * RATE));
  let phase = 0;
  for (let i = 0; i < 0.2 * RATE && from + i < out.length; i++) {
    phase += (2 * Math.PI * (50 + 70 * Math.exp(-i / (0.015 * RATE)))) / RATE;
    out[from + i] += 0.35 * Math.sin(phase) * Math.exp(-i / (0.06 * RATE)) * Math.min(1, i / 30);
  }
}

function hiss(out: Float32Array, t: number, gain: number, length: number, random: Random): void {
  const from = Math.max(0, Math.round(t * RATE));
  for (let i = 0; i < 2 * length * RATE && from + i < out.length; i++)
    out[from + i] += gain * (random.uniform() - 0.5) * Math.exp(-i / (length * 0.5 * RATE)) * Math.min(1, i / 20);
}

/** A tune over the chords: chord tones on strong beats, steps between, rests after phrases of two bars. */
function melodyOver(
  chords: MadeUpSong['chords'],
  key: MadeUpSong['key'],
  first: number,
  bar: number,
  beats: number,
  cents: number,
  random: Random,
): SungSpan[] {
  const scale = SCALES[key.mode].map(s => (s + key.tonic) % 12);
  const out: SungSpan[] = [];
  let at = 60 + Math.floor(random.uniform() * 5);
  chords.forEach((chord, b) => {
    const triad = [0, chord.minor ? 3 : 4, 7].map(s => (chord.root + s) % 12);
    for (let k = 0; k < beats; k++) {
      if (b % 2 && k === beats - 1) continue; // a breath
      if (random.uniform() < 0.2 && k) continue;
      const allowed = k % 2 === 0 ? triad : scale;
      const wanted = at + Math.round(2 * random.normal());
      const near = [0, 1, -1, 2, -2, 3, -3].map(d => wanted + d).find(m => allowed.includes(((m % 12) + 12) % 12));
      at = Math.max(52, Math.min(74, near ?? wanted));
      const start = first + b * bar + (k * bar) / beats;
      const length = (bar / beats) * (b % 2 && k >= beats - 2 ? 1.6 : 0.95);
      out.push({ start, end: start + length, pitch: at + cents / 100 + 0.12 * random.normal() });
    }
  });
  return out;
}
