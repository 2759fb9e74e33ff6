import { Fourier, hann, powerOfTwoFrom } from '../signal/fft';
import { median } from '../signal/statistics';
import { midiToHz, type Cents, type Hertz, type Midi, type Seconds, type Span } from '../units';

/**
 * How a pitch moves while it sounds: no voice holds one to the cent, strings and pipes do. Told by the instantaneous frequencies of its
 * harmonics, from two windows a few samples apart (Flanagan and Golden 1966).
 */

const HOP: Seconds = 0.02;
const WINDOW: Seconds = 0.128;
const UP_TO: Hertz = 1600;
/** The second window is so much later. */
const APART: Seconds = 0.001;
const HARMONICS = 8;
/** A vibrato and a singer's own cents: so far about a harmonic it is looked for, as a share of its frequency. */
const ABOUT = 0.025;
/** Movement is told over so many frames, and needs as many on top. */
const OVER = 3;
/** Frames at either end of a note in which what was before or comes after may be heard. */
const ENDS = 3;

export interface Partials {
  /** Frames of `bins` numbers each: what frequency sounds there, and how strong, amplitude. */
  hz: Float32Array;
  strong: Float32Array;
  bins: number;
  binHz: Hertz;
}

export function partialsOf(x: Float32Array, rate: Hertz): Partials {
  const window = hann(Math.round(WINDOW * rate));
  const size = powerOfTwoFrom(window.length);
  const apart = Math.max(1, Math.round(APART * rate));
  const frames = Math.floor(x.length / rate / HOP) + 1;
  const binHz = rate / size;
  const bins = Math.ceil(UP_TO / binHz) + 2;
  const hz = new Float32Array(frames * bins);
  const strong = new Float32Array(frames * bins);
  const fourier = Fourier.of(size);
  const { output } = fourier;
  for (let k = 0; k < frames; k++) {
    const at = Math.round(k * HOP * rate - window.length / 2);
    fourier.loadPair(x, at, at + apart, window);
    fourier.forward();
    for (let i = 0; i < bins; i++) {
      const j = i ? size - i : 0;
      const [ar, ai] = [output[2 * i] + output[2 * j], output[2 * i + 1] - output[2 * j + 1]];
      const [br, bi] = [output[2 * i + 1] + output[2 * j + 1], output[2 * j] - output[2 * i]];
      const expected = (i / size) * apart;
      const turns = Math.atan2(ar * bi - ai * br, ar * br + ai * bi) / (2 * Math.PI) - expected;
      hz[k * bins + i] = (rate * (expected + turns - Math.round(turns))) / apart;
      strong[k * bins + i] = Math.hypot(ar, ai);
    }
  }
  return { hz, strong, bins, binHz };
}

/**
 * How far a note's pitch moves in 60 ms, usually, cents: the geometric mean of what most of its sound does and of its steadiest harmonic,
 * for others sound through the rest. NaN where it is too short to tell.
 */
export function movement({ hz, strong, bins, binHz }: Partials, midi: Midi, { start, end }: Span<Seconds>): Cents {
  const f0 = midiToHz(midi);
  const [from, to] = [Math.round(start / HOP) + ENDS, Math.min(hz.length / bins, Math.round(end / HOP)) - ENDS];
  const each: { moves: Cents; weight: number }[] = [];
  for (let h = 1; h <= HARMONICS && h * f0 * (1 + ABOUT) < UP_TO; h++) {
    const [low, high] = [1 - ABOUT, 1 + ABOUT].map(q => (q * h * f0) / binHz);
    const line: Cents[] = [];
    let weight = 0;
    for (let k = from; k < to; k++) {
      let best = k * bins + Math.floor(low);
      for (let i = best; i <= k * bins + Math.ceil(high); i++) if (strong[i] > strong[best]) best = i;
      line.push(1200 * Math.log2(Math.max(1, hz[best]) / (h * f0)));
      weight += strong[best] ** 2;
    }
    if (line.length < 2 * OVER) return NaN;
    const moves = line.slice(OVER).map((v, i) => Math.abs(v - line[i]));
    each.push({ moves: median(moves), weight: Math.sqrt(weight) });
  }
  if (!each.length) return NaN;
  each.sort((a, b) => a.moves - b.moves);
  const half = each.reduce((s, e) => s + e.weight, 0) / 2;
  let sum = 0;
  const most = each.find(e => (sum += e.weight) >= half)!;
  return Math.sqrt(Math.max(LEAST, most.moves) * Math.max(LEAST, each[0].moves));
}
const LEAST: Cents = 0.1;
