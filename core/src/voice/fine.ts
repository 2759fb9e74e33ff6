import { Fourier } from '../signal/fft';
import { readAlong, readShifted } from '../signal/kernels';
import { sincPhase } from '../signal/sinc';
import { centsToRatio } from '../units';
import type { PitchedSegment } from './epochs';
import type { Layers } from './separate';

/**
 * Pulses made anew: each period's harmonics moved along the period's own spectral envelope. Two periods under a Hann window folded onto
 * one give the harmonics; their logarithms are carried on over frequency, the phase is the minimum phase they imply plus what the
 * recording has beyond it. Two neighbouring periods go through each transform together, one in the real and one in the imaginary part.
 * (Harmonic plus noise: Stylianou 2001; minimum phase from the real cepstrum: Oppenheim and Schafer 1975.)
 */

/** One pulse, ready to be added. */
export interface PulseShape {
  out: Float32Array;
  /** Index of its centre. */
  centre: number;
  /** Where it sounds. */
  low: number;
  high: number;
  length: number;
  /** Power of the period's harmonics, and of those it will have at its new pitch. */
  powerIn: number;
  powerOut: number;
  segment: PitchedSegment | null;
  epoch: number;
}

/** Harmonics of one period: log amplitude, phase beyond the minimum one as unit vectors, minimum phase. */
interface Harmonics {
  log: Float64Array;
  re: Float64Array;
  im: Float64Array;
  minimum: Float64Array;
  /** Highest harmonic used. */
  top: number;
}

const RING = 128;
/** Highest frequency pulses carry, share of the rate. */
const TOP = 0.27;
const FADE_FROM = 0.23;
/** Loudness is compared up to here. */
const COMPARED = 0.25;
/** Under this share of the first harmonic nothing is made up. */
const ROLL_OFF = 0.85;
const SMALLEST = 1e-13;
/**
 * Slope of the phase beyond the minimum one, radians a harmonic: where an epoch lies in its period. The same for every pulse: measured
 * pulse by pulse it is noise, by which neighbouring pulses no longer add up (held vowels, +10 c: level 3.9 dB off at 99 %, so .9).
 */
const DELAY = 1.2;
const DELAY_COS = Math.cos(DELAY);
const DELAY_SIN = Math.sin(DELAY);

const EXP_LOWEST = -40;
const EXP_STEPS = 64;
const EXP = Float64Array.from({ length: 56 * EXP_STEPS + 2 }, (_, i) => Math.exp(EXP_LOWEST + i / EXP_STEPS));
const TURN = 32768;
const COSINE = Float32Array.from({ length: TURN + TURN / 4 }, (_, i) => Math.cos((2 * Math.PI * i) / TURN));
const TURN_STEPS = TURN / (2 * Math.PI);

/** Length of the transform that holds a pulse of a period of so many samples: a power of two. A quarter of it lies before its place. */
export function pulseLength(period: number): number {
  let n = 512;
  while (n < (n === 512 ? 3.4 : 2.25) * period) n *= 2;
  return n;
}

const emptyShape = (): PulseShape => ({
  out: new Float32Array(0),
  centre: 0,
  low: 0,
  high: 0,
  length: 0,
  powerIn: 0,
  powerOut: 0,
  segment: null,
  epoch: -1,
});

const emptyHarmonics = (): Harmonics => ({
  log: new Float64Array(0),
  re: new Float64Array(0),
  im: new Float64Array(0),
  minimum: new Float64Array(0),
  top: 0,
});

function sized(h: Harmonics, n: number): void {
  if (h.log.length >= n) return;
  h.log = new Float64Array(n);
  h.re = new Float64Array(n);
  h.im = new Float64Array(n);
  h.minimum = new Float64Array(n);
}

/** How a pulse is wanted: pitch and formants in cents from as sung. */
export interface PulseWish {
  offset(t: number): number;
  formant(t: number): number;
}

/**
 * Makes pulses of one channel and keeps the last ones. What it makes depends on the layers, the segment's epochs and the wish alone,
 * never on what was asked before. No allocation once it has warmed up.
 */
export class PulseMaker {
  private readonly ring = Array.from({ length: RING }, emptyShape);
  private next = 0;
  private wish: PulseWish | null = null;
  private segment: PitchedSegment | null = null;
  private layers: Layers | null = null;
  private where = new Int32Array(0);
  private readonly a = emptyHarmonics();
  private readonly b = emptyHarmonics();

  constructor(private readonly sampleRate: number) {}

  /** Sets what pulses are made of; must come before pulse(). What was kept for another wish or segment is forgotten. */
  use(segment: PitchedSegment, layers: Layers, wish: PulseWish): void {
    if (this.segment === segment && this.layers === layers && this.wish === wish) return;
    for (const slot of this.ring) slot.segment = null;
    this.segment = segment;
    this.layers = layers;
    this.wish = wish;
    const m = segment.epochs.length;
    if (this.where.length < m) this.where = new Int32Array(Math.ceil(1.5 * m));
    this.where.fill(-1, 0, m);
  }

  /** Forgets what was made, for the wish has changed in itself. */
  forget(): void {
    this.segment = null;
  }

  /** The pulse of an epoch. */
  pulse(epoch: number): PulseShape {
    const have = this.where[epoch];
    if (have >= 0) return this.ring[have];
    this.make(epoch & ~1);
    return this.ring[this.where[epoch]];
  }

  private slot(epoch: number): PulseShape {
    this.next = (this.next + 1) % RING;
    const slot = this.ring[this.next];
    if (slot.segment) this.where[slot.epoch] = -1;
    slot.segment = this.segment;
    slot.epoch = epoch;
    this.where[epoch] = this.next;
    return slot;
  }

  /** Two neighbouring periods, or the last one alone. */
  private make(first: number): void {
    const { epochs, periods } = this.segment!;
    const { a, b, sampleRate } = this;
    const wish = this.wish!;
    const second = Math.min(first + 1, epochs.length - 1);
    const periodA = periods[first];
    const periodB = periods[second];
    const longest = Math.max(periodA, periodB);
    const ratioA = centsToRatio(wish.formant(epochs[first]));
    const ratioB = centsToRatio(wish.formant(epochs[second]));
    const ratio = Math.min(ratioA, ratioB);

    let P = 64;
    while (P < 0.8 * longest) P *= 2;
    const count = P / 2 - 1;
    sized(a, count + 4);
    sized(b, count + 4);
    const folded = Fourier.of(P);
    folded.input.fill(0);
    this.fold(epochs[first], periodA / P, P, folded.input, 0);
    this.fold(epochs[second], periodB / P, P, folded.input, 1);
    folded.forward();
    const topHz = TOP * sampleRate;
    a.top = Math.min(count, Math.floor((Math.max(topHz * ratioA, topHz) / sampleRate) * periodA) + 2);
    b.top = Math.min(count, Math.floor((Math.max(topHz * ratioB, topHz) / sampleRate) * periodB) + 2);
    split(folded.output, P, count, (0.5 * periodA) / P, (0.5 * periodB) / P, a, b);
    minimumPhases(folded, P, count, a, b);
    beyondMinimum(a);
    beyondMinimum(b);

    const width = longest * Math.max(1, 1 / ratio);
    const N = pulseLength(width);
    const made = Fourier.of(N);
    made.input.fill(0);
    const slotA = this.slot(first);
    this.spectrum(a, periodA, centsToRatio(wish.offset(epochs[first])), ratioA, N, made.input, 0, slotA);
    const slotB = second > first ? this.slot(second) : null;
    if (slotB) this.spectrum(b, periodB, centsToRatio(wish.offset(epochs[second])), ratioB, N, made.input, 1, slotB);
    made.forward();
    cut(slotA, made.output, 1, N);
    if (slotB) cut(slotB, made.output, 0, N);
  }

  /** Two periods about a centre under a Hann window, folded onto one of P points: bin h of its transform is harmonic h. */
  private fold(centre: number, step: number, P: number, z: Float64Array, part: 0 | 1): void {
    const { pulses: x, from } = this.layers!;
    const c = Math.cos(Math.PI / P);
    const s = Math.sin(Math.PI / P);
    const mask = P - 1;
    const base = centre - from;
    // where the layers end there is no voice to read
    const end = x.length - 5;
    let low = -P;
    let high = P;
    while (low < high && base + low * step < 3) low++;
    while (high > low && base + (high - 1) * step >= end + 1) high--;
    const read = low < high ? readAlong(x, base, low, 0, step, high - low) : null;
    let wc = -1;
    let ws = 0;
    for (let k = -P; k < P; k++) {
      if (k >= low && k < high) z[((k & mask) << 1) + part] += (0.5 + 0.5 * wc) * read![k - low];
      const q = wc * c - ws * s;
      ws = wc * s + ws * c;
      wc = q;
    }
  }

  /** Writes a pulse's spectrum at its new formants into the real (part 0) or imaginary (part 1) signal of an inverse transform. */
  private spectrum(
    h: Harmonics,
    period: number,
    pitch: number,
    formant: number,
    N: number,
    z: Float64Array,
    part: 0 | 1,
    slot: PulseShape,
  ): void {
    const { log, re, im, minimum, top } = h;
    const bins = N / period;
    const step = 1 / (bins * formant);
    const lowest = ROLL_OFF * Math.min(pitch / formant, 1.2);
    const highest = Math.min(N / 2 - 1, Math.floor(TOP * N));
    const fadeFrom = Math.floor(FADE_FROM * N);
    const delay = DELAY / bins;
    let powerIn = 0;
    const compared = Math.min(top, Math.floor(COMPARED * period));
    for (let k = 1; k <= compared; k++) powerIn += Math.exp(2 * log[k]);
    let powerOut = 0;
    const apart = pitch * bins;
    let nextAt = apart;
    let nextBin = Math.round(nextAt);
    const scale = 1 / N;
    for (let b = 1; b <= highest; b++) {
      const place = b * step;
      let k = place | 0;
      let f = place - k;
      if (k >= top) {
        k = top - 1;
        f = 1;
      }
      const y1 = log[k];
      const y2 = log[k + 1];
      let v: number;
      let phase: number;
      if (k < 1) {
        v = y1 + (y2 - y1) * f;
        phase = minimum[0] + (minimum[1] - minimum[0]) * f;
      } else {
        const j0 = k > 1 ? k - 1 : 1;
        const j3 = k + 2 > top ? top : k + 2;
        const y0 = log[j0];
        const y3 = log[j3];
        const p0 = minimum[k - 1];
        const p1 = minimum[k];
        const p2 = minimum[k + 1];
        const p3 = minimum[j3];
        v = y1 + 0.5 * f * (y2 - y0 + f * (2 * y0 - 5 * y1 + 4 * y2 - y3 + f * (3 * (y1 - y2) + y3 - y0)));
        phase = p1 + 0.5 * f * (p2 - p0 + f * (2 * p0 - 5 * p1 + 4 * p2 - p3 + f * (3 * (p1 - p2) + p3 - p0)));
      }
      const q = (v - EXP_LOWEST) * EXP_STEPS;
      const i = q > 0 ? q | 0 : 0;
      let g = EXP[i] + (EXP[i + 1] - EXP[i]) * (q - i);
      while (b === nextBin) {
        powerOut += g * g;
        nextAt += apart;
        nextBin = Math.round(nextAt);
      }
      if (place < lowest) g *= (place / lowest) * (place / lowest);
      if (b > fadeFrom) g *= 0.5 + 0.5 * Math.cos((Math.PI * (b - fadeFrom)) / (highest - fadeFrom + 1));
      const x = re[k] + (re[k + 1] - re[k]) * f;
      const y = im[k] + (im[k + 1] - im[k]) * f;
      g *= scale / Math.sqrt(x * x + y * y + 1e-9);
      const p = (((phase + delay * b) * TURN_STEPS + 1048576.5) | 0) & (TURN - 1);
      const c = COSINE[p];
      const s = COSINE[(p + (TURN * 3) / 4) & (TURN - 1)];
      const hr = g * (x * c - y * s);
      const hi = g * (x * s + y * c);
      // an inverse transform is a forward one with real and imaginary parts exchanged: z holds (im, re)
      const at = b << 1;
      const mirror = (N - b) << 1;
      if (part === 0) {
        z[at + 1] += hr;
        z[at] += hi;
        z[mirror + 1] += hr;
        z[mirror] -= hi;
      } else {
        z[at + 1] -= hi;
        z[at] += hr;
        z[mirror + 1] += hi;
        z[mirror] += hr;
      }
    }
    slot.powerIn = powerIn;
    slot.powerOut = powerOut * pitch * pitch;
  }
}

/** Parts the transform of two real periods into the harmonics of each. */
function split(
  z: Float64Array,
  P: number,
  count: number,
  gainA: number,
  gainB: number,
  a: Harmonics,
  b: Harmonics,
): void {
  for (let k = 1; k <= count; k++) {
    const j = (P - k) << 1;
    const i = k << 1;
    const ar = (z[i] + z[j]) * gainA;
    const ai = (z[i + 1] - z[j + 1]) * gainA;
    const br = (z[i + 1] + z[j + 1]) * gainB;
    const bi = (z[j] - z[i]) * gainB;
    const pa = ar * ar + ai * ai + SMALLEST;
    const pb = br * br + bi * bi + SMALLEST;
    a.log[k] = 0.5 * Math.log(pa);
    b.log[k] = 0.5 * Math.log(pb);
    const va = 1 / Math.sqrt(pa);
    const vb = 1 / Math.sqrt(pb);
    a.re[k] = ar * va;
    a.im[k] = ai * va;
    b.re[k] = br * vb;
    b.im[k] = bi * vb;
  }
  for (const h of [a, b]) {
    h.log[0] = h.log[1];
    h.log[count + 1] = h.log[count];
  }
}

/** The minimum phase of both at their harmonics, by folding the real cepstrum. */
function minimumPhases(f: Fourier, P: number, count: number, a: Harmonics, b: Harmonics): void {
  const z = f.input;
  const pair = (k: number, j: number) => {
    z[2 * k] = a.log[j];
    z[2 * k + 1] = b.log[j];
  };
  pair(0, 0);
  pair(P / 2, count);
  for (let k = 1; k <= count; k++) {
    pair(k, k);
    pair(P - k, k);
  }
  f.forward();
  const c = f.output;
  z.fill(0);
  const ends = 1 / P;
  z[0] = c[0] * ends;
  z[1] = c[1] * ends;
  z[P] = c[P] * ends;
  z[P + 1] = c[P + 1] * ends;
  for (let k = 1; k <= count; k++) {
    z[2 * k] = 2 * ends * c[2 * k];
    z[2 * k + 1] = 2 * ends * c[2 * k + 1];
  }
  f.forward();
  a.minimum[0] = b.minimum[0] = 0;
  for (let k = 1; k <= count; k++) {
    const i = k << 1;
    const j = (P - k) << 1;
    a.minimum[k] = 0.5 * (c[i + 1] - c[j + 1]);
    b.minimum[k] = 0.5 * (c[j] - c[i]);
  }
}

/** Leaves of the phase what is beyond the minimum phase and the delay, as unit vectors. */
function beyondMinimum(h: Harmonics): void {
  const { re, im, minimum, top } = h;
  for (let k = 1; k <= top; k++) {
    const c = Math.cos(minimum[k]);
    const s = Math.sin(minimum[k]);
    const a = re[k];
    const e = im[k];
    re[k] = a * c + e * s;
    im[k] = e * c - a * s;
  }
  let c = 1;
  let s = 0;
  for (let k = 1; k <= top; k++) {
    const q = c * DELAY_COS - s * DELAY_SIN;
    s = c * DELAY_SIN + s * DELAY_COS;
    c = q;
    const a = re[k];
    const e = im[k];
    re[k] = a * c + e * s;
    im[k] = e * c - a * s;
  }
  re[0] = re[1];
  im[0] = im[1];
  re[top + 1] = re[top];
  im[top + 1] = im[top];
  minimum[top + 1] = minimum[top];
}

/** Takes one of two pulses out of a transform's output, its ends faded, and notes where it sounds. */
function cut(slot: PulseShape, z: Float64Array, part: 0 | 1, N: number): void {
  if (slot.out.length < N) slot.out = new Float32Array(N);
  const { out } = slot;
  const centre = N / 4;
  const mask = N - 1;
  let peak = 0;
  for (let k = 0; k < N; k++) {
    const v = z[(((k - centre) & mask) << 1) + part];
    const w = k < 64 ? (k + 0.5) / 64 : k > N - 192 ? (N - k - 0.5) / 192 : 1;
    out[k] = w * v;
    const a = v < 0 ? -v : v;
    if (a > peak) peak = a;
  }
  peak *= 3e-4;
  let low = 0;
  let high = N;
  while (low < centre && Math.abs(out[low]) < peak) low++;
  while (high > centre && Math.abs(out[high - 1]) < peak) high--;
  slot.centre = centre;
  slot.length = N;
  slot.low = low;
  slot.high = high;
}

/** Adds a pulse with its centre at a fractional output place. */
export function addPulse(p: PulseShape, at: number, gain: number, from: number, to: number, out: Float32Array): void {
  const { out: y, centre, low, high, length } = p;
  const shift = centre - at;
  const whole = Math.floor(shift);
  const k = sincPhase(shift - whole);
  const o = whole - 3;
  const a = Math.max(from, Math.ceil(at - centre + low - 4), -o);
  const b = Math.min(to - 1, Math.floor(at - centre + high + 4), length - 8 - o);
  if (b < a) return;
  const moved = readShifted(y, a + o, b - a + 1, k, gain);
  for (let u = a; u <= b; u++) out[u - from] += moved[u - a];
}
