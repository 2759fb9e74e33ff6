import { clamp, midiToHz, seededRandom } from '@essim/core';
import { hall } from '../singer/room';
import { SAMPLE_RATE } from '../singer/tract';
import { BAR, BEAT, CHORDS, DURATION } from './ferry-lamp';

/** Bass note and voicing of each chord. */
const VOICINGS: Record<string, [number, number[]]> = {
  D: [38, [50, 54, 57, 62]],
  G: [43, [50, 55, 59, 62]],
  Bm: [47, [50, 54, 59, 62]],
  A: [45, [49, 52, 57, 61]],
  Em: [40, [52, 55, 59, 64]],
};

type Random = ReturnType<typeof seededRandom>;
const TAU = 2 * Math.PI;

/** A struck string: stretched partials in two slightly detuned courses, each dying fast, then slowly, and a soft hammer. */
function piano(midi: number, velocity: number, length: number): Float32Array {
  const hz = midiToHz(midi);
  const stretch = 0.00022 * 2 ** ((midi - 50) / 14);
  const n = Math.ceil((length + 0.25) * SAMPLE_RATE);
  const y = new Float32Array(n);
  const own = seededRandom(midi * 31);
  for (let h = 1; h < 26; h++) {
    const partial = hz * h * Math.sqrt(1 + stretch * h * h);
    if (partial > 9000) break;
    const level =
      (Math.abs(Math.sin(Math.PI * h * 0.122)) / h ** (1.05 + 0.5 * (1 - velocity))) *
      Math.exp(-partial / (1800 + 3400 * velocity));
    const fast = (2.6 / (1 + 0.0011 * partial)) * (1 + 30 / hz);
    for (let course = 0; course < 2; course++) {
      const w = (TAU * partial * (1 + (course ? 0.00035 : -0.0002) * (1 + own.uniform()))) / SAMPLE_RATE;
      const phase = own.uniform() * TAU;
      const turn = 2 * Math.cos(w);
      let a = Math.sin(phase);
      let b = Math.sin(phase - w);
      let quick = level * 0.8 * (course ? 0.6 : 1);
      let slow = level * 0.2;
      const dQuick = Math.exp(-1 / (fast * SAMPLE_RATE));
      const dSlow = Math.exp(-1 / (fast * 4 * SAMPLE_RATE));
      for (let i = 0; i < n; i++) {
        y[i] += a * (quick + slow);
        const c = turn * a - b;
        b = a;
        a = c;
        quick *= dQuick;
        slow *= dSlow;
      }
    }
  }
  let knock = 0;
  for (let i = 0; i < Math.min(n, 0.05 * SAMPLE_RATE); i++) {
    knock += 0.08 * (own.uniform() - 0.5 - knock);
    y[i] += knock * 1.1 * velocity * Math.exp(-i / (0.008 * SAMPLE_RATE));
  }
  const attack = 0.002 * SAMPLE_RATE;
  for (let i = 0; i < attack; i++) y[i] *= i / attack;
  const release = 0.09 * SAMPLE_RATE;
  for (let i = Math.floor(length * SAMPLE_RATE); i < n; i++)
    y[i] *= Math.exp((-(i - length * SAMPLE_RATE) / release) * 1.4) * Math.min(1, (n - i) / 400);
  return y;
}

const pianoCache = new Map<string, Float32Array>();
function cachedPiano(midi: number, velocity: number, length: number): Float32Array {
  const v = Math.round(velocity * 5) / 5;
  const key = `${midi} ${v} ${length.toFixed(1)}`;
  let y = pianoCache.get(key);
  if (!y) pianoCache.set(key, (y = piano(midi, v, length)));
  return y;
}

function bass(midi: number, length: number): Float32Array {
  const hz = midiToHz(midi);
  const n = Math.ceil((length + 0.06) * SAMPLE_RATE);
  const y = new Float32Array(n);
  for (let h = 1; h < 9; h++) {
    const w = (TAU * hz * h * Math.sqrt(1 + 0.0001 * h * h)) / SAMPLE_RATE;
    const decay = Math.exp(-1 / ((1.1 / (1 + 0.35 * h)) * SAMPLE_RATE));
    let e = Math.abs(Math.sin(Math.PI * h * 0.21)) / h ** 1.5;
    let a = 0;
    let b = -Math.sin(w);
    for (let i = 0; i < n; i++) {
      y[i] += a * e;
      const c = 2 * Math.cos(w) * a - b;
      b = a;
      a = c;
      e *= decay;
    }
  }
  for (let i = 0; i < n; i++) y[i] *= Math.min(1, i / 300) * Math.min(1, (n - i) / 2000);
  return y;
}

function brush(length: number, kind: 'swish' | 'tap', random: Random): Float32Array {
  const n = Math.ceil(length * SAMPLE_RATE);
  const y = new Float32Array(n);
  let low = 0;
  let lower = 0;
  for (let i = 0; i < n; i++) {
    const u = i / n;
    low += 0.32 * (random.uniform() - 0.5 - low);
    lower += 0.06 * (low - lower);
    y[i] =
      (low - lower) * (kind === 'swish' ? Math.sin(Math.PI * u) ** 1.5 * 0.25 : Math.min(1, i / 60) * Math.exp(-u * 7));
  }
  return y;
}

function kick(): Float32Array {
  let phase = 0;
  return Float32Array.from({ length: 0.25 * SAMPLE_RATE }, (_, i) => {
    const t = i / SAMPLE_RATE;
    phase += (TAU * (48 + 60 * Math.exp(-t / 0.018))) / SAMPLE_RATE;
    return Math.sin(phase) * Math.exp(-t / 0.075) * Math.min(1, i / 40);
  });
}

/**
 * The song's chords held softly bar by bar: for each tone two courses of harmonics a few cents apart, that swell and die away into the
 * next chord. What many a rough recording of a choir has under it. @returns one channel, as loud as the piano alone
 */
export function heldChords(cents = 3): Float32Array {
  const n = Math.ceil(DURATION * SAMPLE_RATE);
  const out = new Float32Array(n);
  const random = seededRandom(19);
  CHORDS.forEach((name, bar) => {
    const [root, voicing] = VOICINGS[name];
    const length = Math.round((BAR + 0.2) * SAMPLE_RATE);
    const from = Math.round(bar * BAR * SAMPLE_RATE);
    for (const midi of [root, ...voicing])
      for (const side of [-1, 1])
        for (let h = 1; h <= 14; h++) {
          const hz = midiToHz(midi + (side * cents) / 200) * h;
          const level = h ** -1.2 / (1 + (hz / 1600) ** 2);
          const w = (TAU * hz) / SAMPLE_RATE;
          const phase = TAU * random.uniform();
          for (let i = 0; i < length && from + i < n; i++) {
            const swell = Math.min(1, i / (0.3 * SAMPLE_RATE), (length - i) / (0.25 * SAMPLE_RATE));
            out[from + i] += 0.0123 * level * swell * Math.sin(w * i + phase);
          }
        }
  });
  return hall(out, 3);
}

/** Piano, bass and brushed drums, or the piano alone; left and right. */
export function backing({ pianoAlone = false } = {}): [Float32Array, Float32Array] {
  const random = seededRandom(7);
  const n = Math.ceil(DURATION * SAMPLE_RATE);
  const left = new Float32Array(n);
  const right = new Float32Array(n);
  const add = (y: Float32Array, t: number, pan: number, gain: number) => {
    const o = Math.round(t * SAMPLE_RATE);
    const l = gain * Math.cos(((pan + 1) * Math.PI) / 4);
    const r = gain * Math.sin(((pan + 1) * Math.PI) / 4);
    for (let i = Math.max(0, -o); i < y.length && o + i < n; i++) {
      left[o + i] += l * y[i];
      right[o + i] += r * y[i];
    }
  };
  const under: typeof add = (...sound) => (pianoAlone ? undefined : add(...sound));
  const human = () => 0.006 * random.normal();
  const pattern = [0, 2, 1, 3, 2, 1, 3, 2];
  const drum = kick();
  const lastBar = 21;
  for (let bar = 0; bar <= lastBar; bar++) {
    const [root, voicing] = VOICINGS[CHORDS[bar] ?? 'D'];
    const drums = bar >= 4;
    const chorus = bar >= 11;
    const velocity = 0.45 + (chorus ? 0.2 : 0) + 0.04 * random.normal();
    if (bar === lastBar) {
      [root, ...voicing, 66].forEach((m, i) =>
        add(cachedPiano(m, 0.4, 2.4), bar * BAR + i * 0.03, (m - 56) / 40, 0.05),
      );
      continue;
    }
    add(cachedPiano(root + 12 > 50 ? root : root + 12, velocity, 1.7), bar * BAR + human(), -0.3, 0.06);
    for (let e = 0; e < 8; e++) {
      const m = voicing[pattern[e]];
      const lift = bar < 2 || (chorus && e % 4 === 3) ? 12 : 0;
      add(
        cachedPiano(m + lift, clamp(velocity * (e % 2 ? 0.75 : 1) + 0.06 * random.normal(), 0.2, 1), e === 7 ? 0.5 : 1),
        (bar * 4 + e / 2) * BEAT + human(),
        (m - 56) / 30,
        0.048,
      );
    }
    if (bar >= 2) {
      const low = root > 43 ? root - 12 : root;
      under(bass(low, 1.4 * BEAT), bar * BAR + human(), 0, 0.19);
      under(bass(low, 0.45 * BEAT), (bar * 4 + 1.5) * BEAT + human(), 0, 0.13);
      under(bass(low + (bar % 2 ? 7 : 0), 1.7 * BEAT), (bar * 4 + 2) * BEAT + human(), 0, 0.17);
    }
    for (let b = 0; b < 4 && drums; b++) {
      under(brush(BEAT * 0.95, 'swish', random), (bar * 4 + b) * BEAT - 0.05, 0.25, 0.1);
      if (b % 2)
        under(brush(0.28, 'tap', random), (bar * 4 + b) * BEAT + human() + 0.004, 0.15, 0.2 + 0.02 * random.normal());
      else if (chorus || b === 0) under(drum, (bar * 4 + b) * BEAT + human(), 0, 0.16);
    }
  }
  return [hall(left, 1), hall(right, 2)];
}
