import { powerFrames } from '../signal/frames';
import { quantile } from '../signal/statistics';
import { halfRate, stretchesOf, type Stretches } from '../signal/stretches';
import { hzToMidi, type Decibels, type Seconds } from '../units';

/** Distance of frames that are compared. */
export const FRAME: Seconds = 0.005;
/** Distance of the envelopes the last milliseconds are found with. */
export const FINE: Seconds = 0.002;

const BANDS = 26;
const LOW_HZ = 120;
const HIGH_HZ = 10500;
/** And no band reaches beyond this share of the rate. */
const HIGHEST = 0.46;
const CEPSTRA = 12;
/** Level, hiss, rise and fall in two halves of the spectrum, steps of the pitch. */
const OTHERS = 7;
export const DIMS = CEPSTRA + OTHERS;
const WEIGHTS = { cepstra: 0.8, level: 2.24, hiss: 0.6, change: 1.3, step: 2 };
/** What is so far under the loud parts counts as silence; so does what hardly leaves the take's own noise. */
const FLOOR: Decibels = 42;
const OVER_NOISE: Decibels = 6;
const UNDER_PEAK: Decibels = 22;
/** Band power of what nobody hears, about -100 dB full scale. */
const NOTHING: Decibels = -80;
/** Above it is hiss. */
const HISS_HZ = 4000;
/** Rise and fall are looked at over so many frames either way. */
const REACH = 2;
const FINE_EDGES = [100, 900, 2200, 4200, 7000, 11000];
const SOUND_BANDS = FINE_EDGES.length - 1;
/** The last one is the pitch line. */
export const FINE_BANDS = SOUND_BANDS + 1;
/** What a semitone counts in it beside the others' logarithms of power. */
const FINE_SEMITONE = 1.2;
/** A step of the pitch is what it does in 60 ms beyond what a vibrato does. Semitones. */
const STEP_REACH = 6;
const VIBRATO_STEP = 0.9;
const WHOLE_STEP = 1.5;
const SMOOTH = [0.1, 0.25, 0.3, 0.25, 0.1];

/** What is compared of a take, frame by frame. */
export interface AlignFeatures {
  frames: number;
  /** DIMS numbers a frame. */
  values: Float32Array;
  /** 1 where nothing sounds. */
  silent: Uint8Array;
  /** 1 where it hisses: such sound should not be bent. */
  hissing: Uint8Array;
  /** How much begins, ends or changes at each frame, about 0..2. */
  change: Float32Array;
  /** Log envelopes of FINE_BANDS bands every FINE seconds. */
  fine: Float32Array;
  /** Semitones (MIDI), NaN where nothing is sung or the pitch is not known. */
  pitch: Float32Array;
  /** Pitch-free loudness of each frame over the take's silence, 0..1. */
  level: Float32Array;
  /** Logarithms of the power in the mel bands, TONE_STEP frames together. */
  tone: Float32Array;
  /** Frequencies of the middles of these bands, Hz. */
  toneHz: number[];
}

export const TONE_STEP = 4;

const mel = (f: number) => 1127 * Math.log(1 + f / 700);
const hz = (m: number) => 700 * (Math.exp(m / 1127) - 1);

/** Frequency of the edge k of the mel bands; band k lies about edge k + 1. */
function edgeHz(k: number, rate: number): number {
  const low = mel(LOW_HZ);
  const high = mel(Math.min(HIGH_HZ, rate * HIGHEST));
  return hz(low + ((high - low) * k) / (BANDS + 1));
}

/** First bins and weights of the mel bands. @param stretch what their frequencies are multiplied by */
function melBands(size: number, rate: number, stretch: number): { first: number; weights: Float64Array }[] {
  const edge = (k: number) => Math.min(rate * HIGHEST, stretch * edgeHz(k, rate));
  return Array.from({ length: BANDS }, (_, k) => {
    // widened, so that the low ones hold more than one bin
    const [a, b, c] = [edge(k) - 40, edge(k + 1), edge(k + 2) + 40];
    const first = Math.max(1, Math.floor((a * size) / rate));
    const last = Math.min(size / 2, Math.ceil((c * size) / rate));
    return {
      first,
      weights: Float64Array.from({ length: last - first + 1 }, (_, i) => {
        const f = ((first + i) * rate) / size;
        return Math.max(0, Math.min((f - a) / (b - a), (c - f) / (c - b)));
      }),
    };
  });
}

/**
 * What two performances of the same words have in common however they are sung: the colour of each moment (cepstra of 26 mel bands
 * without their level, scaled over the frames that sound), its level, its hiss, and what begins and ends. Each take's own noise floor
 * is added before the logarithm, so that two silences look alike.
 * @param sound one channel @param seconds how much of time is looked at; beyond the take it is silent
 * @param f0 Hz a frame of FRAME, 0 where nothing is sung: notes on one vowel are told apart by their pitch alone. Given for both or neither
 * @param stretch how much higher than usual the formants of this voice are looked for (see tract.ts)
 */
export function alignFeatures(
  sound: Float32Array | Stretches,
  sampleRate: number,
  seconds: Seconds,
  f0?: Float32Array,
  stretch = 1,
): AlignFeatures {
  let rate = sampleRate;
  let x = sound instanceof Float32Array ? stretchesOf(sound) : sound;
  while (rate > 40000) {
    x = halfRate(x);
    rate /= 2;
  }
  const frames = Math.floor(seconds / FRAME) + 1;
  const size = rate > 30000 ? 1024 : 512;
  const bands = melBands(size, rate, stretch);
  const power = new Float32Array(frames * BANDS);
  const energy = new Float64Array(frames);
  powerFrames(x, size, FRAME * rate, frames, (k, p) => {
    let total = 0;
    for (let b = 0; b < BANDS; b++) {
      const { first, weights } = bands[b];
      let s = 0;
      for (let i = 0; i < weights.length; i++) s += weights[i] * p[first + i];
      power[k * BANDS + b] = s;
      total += s;
    }
    energy[k] = 10 * Math.log10(total + 1e-9);
  });
  // what lies beyond the take is not part of its noise
  const own = energy.subarray(0, Math.max(1, Math.min(frames, Math.floor(x.length / rate / FRAME) + 1)));
  const peak = quantile(own, 0.97);
  const floor = Math.max(peak - FLOOR, Math.min(quantile(own, 0.04) + OVER_NOISE, peak - UNDER_PEAK));
  const silent = Uint8Array.from(energy, e => (e < Math.max(floor + 3, NOTHING) ? 1 : 0));
  const noise = noiseFloor(power, own, peak);
  const level = Float32Array.from(energy, e => Math.max(0, Math.min(1, (e - floor) / Math.max(12, peak - floor))));

  const values = new Float32Array(frames * DIMS);
  const hiss = hissOf(power, noise, frames, mel(HISS_HZ), rate);
  for (let i = 0; i < power.length; i++) power[i] = Math.log(power[i] + noise[i % BANDS]);
  putCepstra(values, power, silent, frames);
  const toneHz = Array.from({ length: BANDS }, (_, b) => stretch * edgeHz(b + 1, rate));
  const spread = spreadOf(hiss, silent);
  const hissing = new Uint8Array(frames);
  for (let k = 0; k < frames; k++) {
    const h = (hiss[k] - spread.mean) / spread.deviation;
    values[k * DIMS + CEPSTRA] = WEIGHTS.level * level[k];
    values[k * DIMS + CEPSTRA + 1] = WEIGHTS.hiss * h;
    hissing[k] = h > 1 && !silent[k] ? 1 : 0;
  }
  const change = putChanges(values, power, frames);
  const line = f0 ? pitchLine(f0, frames) : new Float32Array(frames);
  putSteps(values, change, line, frames);
  const pitch = Float32Array.from({ length: frames }, (_, k) => (f0 && f0[k] > 0 ? hzToMidi(f0[k]) : NaN));
  return {
    frames,
    values,
    silent,
    hissing,
    change,
    fine: fineEnvelopes(x, rate, seconds, line, stretch),
    pitch,
    level,
    tone: toneOfFrames(power, frames),
    toneHz,
  };
}

/** The take's noise in each band: its quietest frames, and a floor under the loud ones. */
function noiseFloor(power: Float32Array, energy: Float64Array, peak: number): Float64Array {
  const few = Math.max(4, Math.floor(energy.length * 0.05));
  const quiet = [...energy.keys()].sort((a, b) => energy[a] - energy[b]).slice(0, few);
  const most = 10 ** ((peak - UNDER_PEAK) / 10) / BANDS;
  const least = 10 ** ((peak - FLOOR - 6) / 10) / BANDS;
  return Float64Array.from({ length: BANDS }, (_, b) => {
    let s = 0;
    for (const k of quiet) s += power[k * BANDS + b];
    return Math.min((s / quiet.length) * 2, most) + least;
  });
}

/** Log ratio of what is above and below the hiss frequency. */
function hissOf(power: Float32Array, noise: Float64Array, frames: number, edge: number, rate: number): Float64Array {
  const low = mel(LOW_HZ);
  const high = mel(Math.min(HIGH_HZ, rate * 0.46));
  const first = Math.ceil(((edge - low) / (high - low)) * (BANDS + 1)) - 1;
  return Float64Array.from({ length: frames }, (_, k) => {
    let above = 0;
    let below = 0;
    for (let b = 0; b < BANDS; b++) {
      const v = power[k * BANDS + b] + noise[b];
      if (b >= first) above += v;
      else below += v;
    }
    return Math.log(above / below);
  });
}

/** Mean and deviation over the frames that sound. */
function spreadOf(x: Float64Array, silent: Uint8Array): { mean: number; deviation: number } {
  let sum = 0;
  let squares = 0;
  let count = 0;
  for (let k = 0; k < x.length; k++)
    if (!silent[k]) {
      sum += x[k];
      squares += x[k] * x[k];
      count++;
    }
  const mean = sum / (count || 1);
  return { mean, deviation: Math.sqrt(Math.max(1e-6, squares / (count || 1) - mean * mean)) };
}

function putCepstra(values: Float32Array, log: Float32Array, silent: Uint8Array, frames: number): void {
  const c = new Float64Array(frames);
  for (let q = 0; q < CEPSTRA; q++) {
    const cosines = Float64Array.from({ length: BANDS }, (_, b) => Math.cos((Math.PI * (q + 1) * (b + 0.5)) / BANDS));
    for (let k = 0; k < frames; k++) {
      let s = 0;
      for (let b = 0; b < BANDS; b++) s += log[k * BANDS + b] * cosines[b];
      c[k] = s;
    }
    const { mean, deviation } = spreadOf(c, silent);
    const scale = WEIGHTS.cepstra / deviation / Math.sqrt(CEPSTRA / 2);
    for (let k = 0; k < frames; k++) values[k * DIMS + q] = (c[k] - mean) * scale;
  }
}

/** Rise and fall of the log bands over +-10 ms, in two halves of the spectrum. @returns how much happens at each frame */
function putChanges(values: Float32Array, log: Float32Array, frames: number): Float32Array {
  const flux = [0, 1, 2, 3].map(() => new Float32Array(frames));
  const split = Math.floor(BANDS * 0.55);
  for (let k = 0; k < frames; k++) {
    const a = Math.max(0, k - REACH) * BANDS;
    const b = Math.min(frames - 1, k + REACH) * BANDS;
    for (let j = 0; j < BANDS; j++) {
      const d = log[b + j] - log[a + j];
      flux[(d > 0 ? 0 : 2) + (j <= split ? 0 : 1)][k] += Math.abs(d);
    }
  }
  const change = new Float32Array(frames);
  flux.forEach((f, h) => {
    const most = quantile(f, 0.97) + 1e-6;
    for (let k = 0; k < frames; k++) {
      const v = Math.min(1.3, f[k] / most);
      values[k * DIMS + CEPSTRA + 2 + h] = WEIGHTS.change * v;
      change[k] += v / 2;
    }
  });
  return change;
}

/** Semitones, straight across what is not sung. */
function pitchLine(f0: Float32Array, frames: number): Float32Array {
  const out = new Float32Array(frames);
  let before = -1;
  for (let k = 0; k < frames; k++) {
    if (!(f0[k] > 0)) continue;
    out[k] = 12 * Math.log2(f0[k]);
    if (before < 0) out.fill(out[k], 0, k);
    for (let i = before + 1; before >= 0 && i < k; i++)
      out[i] = out[before] + ((out[k] - out[before]) * (i - before)) / (k - before);
    before = k;
  }
  if (before >= 0) out.fill(out[before], before);
  return out;
}

/** Steps of the pitch, which way they go included: harmonies mostly move together. */
function putSteps(values: Float32Array, change: Float32Array, pitch: Float32Array, frames: number): void {
  for (let k = STEP_REACH; k < frames - STEP_REACH; k++) {
    const step = pitch[k + STEP_REACH] - pitch[k - STEP_REACH];
    const beyond = Math.max(0, Math.abs(step) - VIBRATO_STEP) / WHOLE_STEP;
    const v = Math.sign(step) * Math.min(1, beyond);
    values[k * DIMS + DIMS - 1] = WEIGHTS.step * v;
    change[k] = Math.max(change[k], Math.abs(v));
  }
}

/** Means of the logarithms of TONE_STEP frames at a time. */
function toneOfFrames(log: Float32Array, frames: number): Float32Array {
  const out = new Float32Array(Math.ceil(frames / TONE_STEP) * BANDS);
  for (let k = 0; k < frames; k++) {
    const count = Math.min(TONE_STEP, frames - (k - (k % TONE_STEP)));
    const at = Math.floor(k / TONE_STEP) * BANDS;
    for (let b = 0; b < BANDS; b++) out[at + b] += log[k * BANDS + b] / count;
  }
  return out;
}

function fineEnvelopes(
  x: Stretches,
  rate: number,
  seconds: Seconds,
  pitch: Float32Array,
  stretch: number,
): Float32Array {
  const size = rate > 30000 ? 256 : 128;
  const frames = Math.floor(seconds / FINE) + 1;
  const bins = FINE_EDGES.map(f => Math.min(size / 2, Math.ceil((stretch * f * size) / rate)));
  const bands = Array.from({ length: SOUND_BANDS }, () => new Float32Array(frames));
  powerFrames(x, size, FINE * rate, frames, (k, p) => {
    for (let b = 0; b < SOUND_BANDS; b++) {
      let s = 0;
      for (let i = bins[b]; i < bins[b + 1]; i++) s += p[i];
      bands[b][k] = s;
    }
  });
  const out = new Float32Array(frames * FINE_BANDS);
  bands.forEach((v, b) => {
    const peak = quantile(v, 0.98);
    const floor = Math.max(peak * 1e-4, Math.min(quantile(v, 0.1) * 3, peak * 0.01)) + 1e-12;
    for (let k = 0; k < frames; k++) {
      let s = 0;
      for (let m = 0; m < 5; m++) s += SMOOTH[m] * v[Math.max(0, Math.min(frames - 1, k + m - 2))];
      out[k * FINE_BANDS + b] = Math.log(s + floor);
    }
  });
  for (let k = 0; k < frames; k++) {
    const t = (k * FINE) / FRAME;
    const i = Math.min(pitch.length - 1, Math.floor(t));
    const next = pitch[Math.min(pitch.length - 1, i + 1)];
    out[k * FINE_BANDS + SOUND_BANDS] = FINE_SEMITONE * (pitch[i] + (next - pitch[i]) * (t - i));
  }
  return out;
}

/** Frames put together by so many, for a first look. */
export interface Frames {
  frames: number;
  values: Float32Array;
  silent: Uint8Array;
  pitch: Float32Array;
}

export function coarser({ frames, values, silent, pitch }: Frames, by: number): Frames {
  const n = Math.ceil(frames / by);
  const out = { frames: n, values: new Float32Array(n * DIMS), silent: new Uint8Array(n), pitch: new Float32Array(n) };
  for (let k = 0; k < n; k++) {
    const last = Math.min(frames, (k + 1) * by);
    let still = 0;
    for (let i = k * by; i < last; i++) {
      still += silent[i];
      for (let d = 0; d < DIMS; d++) out.values[k * DIMS + d] += values[i * DIMS + d];
    }
    const count = last - k * by;
    out.pitch[k] = pitch[k * by + (count >> 1)];
    for (let d = 0; d < DIMS; d++) out.values[k * DIMS + d] /= count;
    out.silent[k] = still * 2 > count ? 1 : 0;
  }
  return out;
}
