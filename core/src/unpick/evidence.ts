import { powerOfTwoFrom } from '../signal/fft';
import { halveRate } from '../signal/filter';
import { powerFrames } from '../signal/frames';
import { Templates } from './templates';
import { midiToHz, type Hertz, type Midi, type Seconds } from '../units';

/**
 * What pitches sound together in a recording of several voices: non-negative activations of one harmonic template a pitch, frame by
 * frame (Smaragdis and Brown 2003, with the templates fixed as in Vincent, Bertin and Badeau 2010), on a whitened spectrum (Klapuri 2006).
 */

export const HOP: Seconds = 0.02;
/** Pitches are told in thirds of a semitone. */
export const PER_SEMITONE = 3;
const WINDOW: Seconds = 0.192;
/** The spectrum's bins: from this up to that. */
const LOWEST_HZ: Hertz = 75;
const HIGHEST_HZ: Hertz = 4800;
export const LOWEST: Midi = 39;
export const HIGHEST: Midi = 84;
const HARMONICS = 16;
/** Of the harmonics' amplitudes: h to the power of this. */
const FALL = -0.9;
/** How far a spectrum is flattened by what lies about each bin, and how far about, semitones. */
const WHITEN = { power: 0.75, reach: 10 };
/** Nothing under this part of the loudest frame is looked at. */
const SILENT = 1e-5;
const LEAST = 1e-9;

export interface Activations {
  /** Frames of `pitches` numbers each, as strong as each pitch is. */
  strength: Float32Array;
  frames: number;
  pitches: number;
  /** When things change: the spectrum through a short window. */
  quick: QuickSpectrum;
}

/** Levels in a short window, dB, frames of `bins` numbers each. */
export interface QuickSpectrum {
  levels: Float32Array;
  bins: number;
  /** Distance of bins, Hz, and of frames, s. */
  binHz: Hertz;
  hop: Seconds;
}

const QUICK_WINDOW: Seconds = 0.046;
export const QUICK_HOP: Seconds = 0.01;
const QUICK_UP_TO: Hertz = 3000;

export function quickSpectrum(y: Float32Array, rate: Hertz): QuickSpectrum {
  const length = Math.round(QUICK_WINDOW * rate);
  const size = powerOfTwoFrom(length);
  const frames = Math.floor(y.length / rate / QUICK_HOP) + 1;
  const binHz = rate / size;
  const bins = Math.ceil(QUICK_UP_TO / binHz) + 1;
  const levels = new Float32Array(frames * bins);
  powerFrames(
    y,
    size,
    QUICK_HOP * rate,
    frames,
    (k, power) => {
      for (let b = 0; b < bins; b++) levels[k * bins + b] = 10 * Math.log10(power[b] + QUIETEST);
    },
    length,
  );
  return { levels, bins, binHz, hop: QUICK_HOP };
}
const QUIETEST = 1e-7;

/** How loud the first harmonics of a pitch are, frame by frame of the short window: their mean in dB. */
export function levelLine({ levels, bins, binHz }: QuickSpectrum, midi: Midi, from: number, to: number): Float32Array {
  const f0 = midiToHz(midi);
  const out = new Float32Array(Math.max(0, to - from));
  for (let k = 0; k < out.length; k++) {
    const row = (from + k) * bins;
    let [sum, count] = [0, 0];
    for (let h = 1; h <= QUICK_HARMONICS; h++) {
      const at = (h * f0) / binHz;
      if (at * (1 + SWING) > bins - 3) break;
      let most = -Infinity;
      // a vibrato goes half a semitone either way
      const swing = Math.max(1, Math.round(SWING * at));
      for (let b = Math.round(at) - swing; b <= Math.round(at) + swing; b++) most = Math.max(most, levels[row + b]);
      sum += most;
      count++;
    }
    out[k] = count ? sum / count : -90;
  }
  return out;
}
const QUICK_HARMONICS = 8;
const SWING = 0.03;

export const PITCHES = (HIGHEST - LOWEST) * PER_SEMITONE + 1;
/** MIDI of a column of the evidence. */
export const pitchOf = (column: number): Midi => LOWEST + column / PER_SEMITONE;

const BINS = Math.round(12 * Math.log2(HIGHEST_HZ / LOWEST_HZ)) * PER_SEMITONE + 1;
const hzOf = (bin: number): Hertz => LOWEST_HZ * 2 ** (bin / (12 * PER_SEMITONE));

/** Magnitude of a Hann window's main lobe, so far from its middle, of 1 there. @param off Hz */
function lobe(off: Hertz): number {
  const x = Math.abs(off) * WINDOW;
  if (x >= 2) return 0;
  if (x < 1e-6) return 1;
  if (Math.abs(x - 1) < 1e-6) return 0.5;
  return Math.abs(Math.sin(Math.PI * x) / (Math.PI * x * (1 - x * x)));
}

let made: Templates | null = null;
const templates = (): Templates =>
  (made ??= new Templates(
    Array.from({ length: PITCHES }, (_, c) => templateOf(c)),
    BINS,
  ));

function templateOf(column: number): Float64Array {
  const out = new Float64Array(BINS);
  const f0 = midiToHz(pitchOf(column));
  for (let h = 1; h <= HARMONICS && h * f0 <= HIGHEST_HZ; h++)
    for (let b = 0; b < BINS; b++) {
      const f = h * f0;
      const [low, high] = [hzOf(b - 0.5), hzOf(b + 0.5)];
      // a bin holds the most of what lies in it
      const off = f < low ? low - f : f > high ? f - high : 0;
      out[b] = Math.max(out[b], h ** FALL * lobe(off));
    }
  return out;
}

/** One channel at a rate that holds all that is looked at. */
export function lowered(x: Float32Array, sampleRate: Hertz): [Float32Array, Hertz] {
  let [y, rate] = [x, sampleRate];
  while (rate >= 22000) [y, rate] = [halveRate(y), rate / 2];
  return [y, rate];
}

/**
 * @param y one channel @param progress is told what share is done, and stops it by answering false
 * @param sounds whether anything is looked for in a frame
 * @returns null when it was stopped
 */
export function activationsOf(
  y: Float32Array,
  rate: Hertz,
  progress?: (share: number) => boolean,
  sounds: (frame: number) => boolean = () => true,
): Activations | null {
  const length = Math.round(WINDOW * rate);
  const size = 2 * powerOfTwoFrom(length);
  const frames = Math.floor(y.length / rate / HOP) + 1;
  const strength = new Float32Array(frames * PITCHES);
  const places = Array.from({ length: BINS }, (_, b) => [hzOf(b - 0.5), hzOf(b + 0.5)].map(f => (f * size) / rate));
  const spectra = new Float32Array(frames * BINS);
  const loud = new Float64Array(frames);
  powerFrames(
    y,
    size,
    HOP * rate,
    frames,
    (k, power) => {
      const row = spectra.subarray(k * BINS, (k + 1) * BINS);
      for (let b = 0; b < BINS; b++) {
        const [low, high] = places[b];
        let most = between(power, (low + high) / 2);
        for (let i = Math.ceil(low); i <= high && i < power.length; i++) most = Math.max(most, power[i]);
        row[b] = Math.sqrt(most);
        loud[k] += most;
      }
    },
    length,
  );
  const loudest = loud.reduce((a, b) => Math.max(a, b), 0);
  const list = templates();
  const white = new Float32Array(BINS);
  const now = new Float32Array(PITCHES).fill(1);
  let asked = true;
  for (let k = 0; k < frames && asked; k++) {
    if (loud[k] <= SILENT * loudest || !sounds(k)) {
      now.fill(1);
      continue;
    }
    whitened(spectra.subarray(k * BINS, (k + 1) * BINS), white);
    // a frame begins from the one before it; nothing is ruled out by that
    for (let p = 0; p < PITCHES; p++) now[p] = Math.max(now[p], 1e-3);
    list.activate(white, now);
    strength.set(now, k * PITCHES);
    if (k % 25 === 0) asked = progress?.(k / frames) ?? true;
  }
  return asked ? { strength, frames, pitches: PITCHES, quick: quickSpectrum(y, rate) } : null;
}

const between = (power: Float32Array, at: number): number => {
  const i = Math.min(power.length - 2, Math.floor(at));
  return power[i] + (power[i + 1] - power[i]) * (at - i);
};

/** Each bin over what lies about it, the louder about it the more. */
function whitened(row: Float32Array, out: Float32Array): void {
  const reach = WHITEN.reach * PER_SEMITONE;
  let [sum, from, to] = [0, 0, 0];
  for (let b = 0; b < BINS; b++) {
    for (; to < Math.min(BINS, b + reach + 1); to++) sum += row[to] ** 2;
    for (; from < b - reach; from++) sum -= row[from] ** 2;
    const rms = Math.sqrt(Math.max(LEAST, sum / (to - from)));
    out[b] = row[b] / rms ** WHITEN.power;
  }
}
