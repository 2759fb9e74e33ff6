import { mixDown } from '../read';
import { bestChain } from '../signal/chain';
import { Lags } from '../signal/lags';
import { sinusoidAt } from '../signal/phasor';
import { floatsOf, lengthOf, type Samples } from '../signal/samples';
import type { Span } from '../units';
import { findBrinks, findRises, levelsAt, type Rise } from './rises';

/**
 * Epochs: one mark a period of the voice, the frame everything pitch-synchronous hangs on.
 * After Talkin 1995 (dynamic programming over a dense measure), then evened out by the phase of the fundamental, then spaced by the
 * best match of neighbouring periods.
 */

/** A pitched stretch of a take. Its epochs are found when first asked for, and kept. Positions in samples, fractional. */
export class PitchedSegment {
  private found: (Marks & { periods: Float64Array }) | null = null;

  /** @param firstFrame frames of the pitch line it comes from, @param lastFrame the last one excluded @param find finds its epochs */
  constructor(
    readonly firstFrame: number,
    readonly lastFrame: number,
    readonly start: number,
    readonly end: number,
    private readonly find: () => Marks,
  ) {}

  /** One a period; none when the sound is too short for them. */
  get epochs(): Float64Array {
    return this.marks().epochs;
  }
  /** Period at each epoch, samples. */
  get periods(): Float64Array {
    return this.marks().periods;
  }

  /** Where it opens at once. */
  get rises(): readonly Rise[] {
    return this.marks().rises;
  }

  /** The quiet sides of its steps of level, samples. */
  get brinks(): readonly Span[] {
    return this.marks().brinks;
  }

  private marks() {
    if (!this.found) {
      const marks = this.find();
      this.found = { ...marks, periods: periodsOf(marks.epochs) };
    }
    return this.found;
  }
}

/** What is found of a segment when it is first needed. */
interface Marks {
  epochs: Float64Array;
  rises: readonly Rise[];
  brinks: readonly Span[];
}

const STEP_PRICE = 60;
const STEP_SPREAD = 0.08;
const SMALLEST_STEP = 8;
const MIN_FRAMES = 4;
/** Pull of the spacing towards the marks, against the match of neighbouring periods. */
const MARK_PULL = 0.02;

/**
 * Pitched segments of a take. Cheap: epochs are found when they are asked for.
 * @param channels one or two of equal length; epochs are found on their mix, so that both stay phase locked
 * @param f0 Hz per frame, 0 where unpitched; frame k is centred at k * hop seconds
 * @param before segments of the same sound by an older pitch line; those whose own frames are the same are taken over as they are
 */
export function findSegments(
  channels: readonly Samples[],
  sampleRate: number,
  f0: ArrayLike<number>,
  hop: number,
  before?: { f0: ArrayLike<number>; segments: readonly PitchedSegment[] },
): PitchedSegment[] {
  const step = hop * sampleRate;
  const length = lengthOf(channels[0]);
  const segments: PitchedSegment[] = [];
  const known = new Map(before?.segments.map(s => [s.firstFrame, s]));
  for (let i = 0; i < f0.length; i++) {
    if (!(f0[i] > 0)) continue;
    let j = i;
    while (j < f0.length && f0[j] > 0) j++;
    const kept = known.get(i);
    if (kept?.lastFrame === j && sameBetween(before!.f0, f0, i, j)) segments.push(kept);
    else if (j - i >= MIN_FRAMES) {
      const own = Float64Array.from({ length: j - i }, (_, k) => f0[i + k]);
      const first = i;
      const start = Math.max(0, Math.round((i - 0.5) * step));
      const end = Math.min(length, Math.round((j - 0.5) * step));
      const find = () => epochsBetween(channels, sampleRate, start, end, new PeriodLine(own, first, step, sampleRate));
      segments.push(new PitchedSegment(i, j, start, end, find));
    }
    i = j;
  }
  return segments;
}

/** Price of a lag at the end of the spread, in correlation; steps it is climbed from the best of a coarse grid; shortest half that is compared, samples. */
const OFF_PRICE = 0.03;
const CLIMB = 8;
const SHORTEST_MATCH = 8;

/** Sound looked at beyond a segment's ends, s: over two of the longest periods. */
const AROUND_SECONDS = 0.06;

function epochsBetween(
  channels: readonly Samples[],
  sampleRate: number,
  start: number,
  end: number,
  period: PeriodLine,
): Marks {
  const around = Math.ceil(AROUND_SECONDS * sampleRate);
  const from = Math.max(0, start - around);
  const to = Math.min(lengthOf(channels[0]), end + around);
  const x = mixDown(channels.map(c => floatsOf(c, from, to)));
  const here = period.from(from);
  const marks = markEpochs(x, start - from, end - from, here);
  if (!marks) return { epochs: new Float64Array(0), rises: [], brinks: [] };
  const epochs = spaceByMatch(x, evenOut(x, sampleRate, marks, here)).map(e => e + from);
  const periods = periodsOf(epochs);
  const levels = levelsAt(x, from, epochs, periods);
  return { epochs, rises: findRises(epochs, levels, sampleRate), brinks: findBrinks(epochs, levels, periods) };
}

function sameBetween(a: ArrayLike<number>, b: ArrayLike<number>, from: number, to: number): boolean {
  for (let k = from; k < to; k++) if (a[k] !== b[k]) return false;
  return true;
}

/** Period in samples at any sample, from the pitch line of one voiced run. */
class PeriodLine {
  /** @param f0 the run's own frames @param first number of the first @param zero sample from which samples are counted */
  constructor(
    private readonly f0: Float64Array,
    private readonly first: number,
    private readonly step: number,
    private readonly sampleRate: number,
    private readonly zero = 0,
  ) {}
  from(zero: number): PeriodLine {
    return new PeriodLine(this.f0, this.first, this.step, this.sampleRate, zero);
  }
  at(t: number): number {
    const { f0 } = this;
    const q = Math.min(f0.length - 1, Math.max(0, (t + this.zero) / this.step - this.first));
    const k = Math.floor(q);
    const u = q - k;
    return this.sampleRate / (k < f0.length - 1 ? f0[k] * (1 - u) + f0[k + 1] * u : f0[k]);
  }
}

function periodsOf(epochs: Float64Array): Float64Array {
  const m = epochs.length;
  return epochs.map((e, k) =>
    k === 0 ? epochs[1] - e : k === m - 1 ? e - epochs[m - 2] : (epochs[k + 1] - epochs[k - 1]) / 2,
  );
}

/** Mean of a prefix-sum array around i, w to either side. */
function boxMean(sums: Float64Array, n: number, i: number, w: number): number {
  const l = i > w ? i - w : 0;
  const r = i + w + 1 < n ? i + w + 1 : n;
  return (sums[r] - sums[l]) / (r - l);
}

/** One mark a period where the pre-emphasised energy stands out, by dense dynamic programming; null when too short. */
function markEpochs(x: Float32Array, start: number, end: number, period: PeriodLine): Float64Array | null {
  const stride = period.at((start + end) / 2) > 160 ? 4 : 2;
  const n = Math.floor((end - start) / stride);
  if (n < 8) return null;
  const periods = new Float32Array(n);
  const widths = new Int32Array(n);
  const sums = new Float64Array(n + 1);
  let before = start > 0 ? x[start - 1] : 0;
  for (let i = 0, z = start; i < n; i++) {
    const T = period.at(z) / stride;
    periods[i] = T;
    widths[i] = Math.max(1, (0.12 * T + 0.5) | 0);
    let s = 0;
    for (const end = z + stride; z < end; z++) {
      const v = x[z];
      const d = v - 0.9 * before;
      before = v;
      s += d * d;
    }
    sums[i + 1] = sums[i] + s;
  }
  const smooth = new Float64Array(n + 1);
  for (let i = 0; i < n; i++) smooth[i + 1] = smooth[i] + boxMean(sums, n, i, widths[i]);
  const energy = new Float32Array(n);
  for (let i = 0; i < n; i++)
    energy[i] = Math.min(4, boxMean(smooth, n, i, widths[i]) / (boxMean(sums, n, i, (periods[i] + 0.5) | 0) + 1e-9));
  const score = new Float32Array(n);
  const from = bestChain(energy, periods, STEP_SPREAD, STEP_PRICE, score);
  let j = n - 1;
  const reach = periods[n - 1] * 1.1;
  for (let i = n - 1; i >= Math.max(0, n - 1 - reach); i--) if (score[i] > score[j]) j = i;
  const marks: number[] = [];
  for (; j >= 0; j = from[j]) marks.push(start + j * stride + stride / 2);
  return marks.length < 3 ? null : Float64Array.from(marks.reverse());
}

/** The fundamental's share of the power, from which on its phase is believed in full. Through a telephone it has a thousandth and less. */
const FUNDAMENTAL_SHARE = 0.01;

/**
 * Moves each mark so that the phase of the fundamental agrees with its neighbours', by up to .3 period; less where there is little of a
 * fundamental, for what has no size has no phase.
 */
function evenOut(x: Float32Array, sampleRate: number, marks: Float64Array, period: PeriodLine): Float64Array {
  const m = marks.length;
  const cos = new Float64Array(m);
  const sin = new Float64Array(m);
  const trust = new Float64Array(m);
  for (let k = 0; k < m; k++) {
    const T = period.at(marks[k]);
    const half = Math.round(T * 2);
    const { re, im, power } = sinusoidAt(x, marks[k], (2 * Math.PI) / T, half);
    const size = Math.hypot(re, im) + 1e-12;
    // a tone alone has all of the power: its amplitude is 2 size / half, its power under the window half of that squared times half
    trust[k] = Math.min(1, (2 * size * size) / (half * (power + 1e-12)) / FUNDAMENTAL_SHARE);
    cos[k] = (trust[k] * re) / size;
    sin[k] = (trust[k] * im) / size;
  }
  const out = new Float64Array(m);
  for (let k = 0; k < m; k++) {
    const T = period.at(marks[k]);
    const width = Math.min(10, Math.max(4, Math.round((sampleRate * 0.02) / T)));
    let re = 0;
    let im = 0;
    for (let i = -width; i <= width; i++) {
      const z = k + i;
      if (z < 0 || z >= m) continue;
      const g = 0.5 + 0.5 * Math.cos((Math.PI * i) / (width + 1));
      re += g * cos[z];
      im += g * sin[z];
    }
    const turn = Math.atan2(im * cos[k] - re * sin[k], re * cos[k] + im * sin[k]) / (2 * Math.PI);
    out[k] = marks[k] + trust[k] * Math.max(-0.3, Math.min(0.3, turn)) * T;
  }
  return keepApart(out);
}

function keepApart(epochs: Float64Array): Float64Array {
  for (let k = 1; k < epochs.length; k++) epochs[k] = Math.max(epochs[k], epochs[k - 1] + SMALLEST_STEP);
  return epochs;
}

/** Spacing of epochs = lag of best match between neighbouring periods, held near the marks by one tridiagonal solve. */
function spaceByMatch(x: Float32Array, epochs: Float64Array): Float64Array {
  const m = epochs.length;
  if (m < 4) return epochs;
  const lag = new Float64Array(m);
  const weight = new Float64Array(m);
  const lags = new Lags(x);
  for (let k = 0; k + 1 < m; k++) {
    const T = epochs[k + 1] - epochs[k];
    const spread = Math.max(3, Math.ceil(STEP_SPREAD * T));
    const centre = Math.round((epochs[k] + epochs[k + 1]) / 2);
    // no farther than the sound goes
    const room = Math.min(centre, x.length - centre) - Math.ceil((T + spread + CLIMB) / 2) - 2;
    const half = Math.max(SHORTEST_MATCH, Math.min(Math.round(T), room));
    const coarse = T > 120 ? 4 : 2;
    const price = OFF_PRICE / (T * STEP_SPREAD) ** 2;
    const { lag: at, y0, y1, y2 } = lags.match(centre, 2 * half + 1, T, spread, coarse, price, CLIMB);
    const curve = y0 - 2 * y1 + y2;
    lag[k] = at + (curve < 0 ? Math.max(-0.5, Math.min(0.5, (0.5 * (y0 - y2)) / curve)) : 0);
    weight[k] = Math.max(0.01, y1) ** 4;
    if (Math.abs(lag[k] - T) > STEP_SPREAD * 1.3 * T) {
      lag[k] = T;
      weight[k] = 0.01;
    }
  }
  // minimise sum pull (e - mark)^2 + sum weight (e[k+1] - e[k] - lag[k])^2
  const diagonal = new Float64Array(m).fill(MARK_PULL);
  const upper = new Float64Array(m);
  const right = epochs.map(e => MARK_PULL * e);
  for (let k = 0; k + 1 < m; k++) {
    diagonal[k] += weight[k];
    diagonal[k + 1] += weight[k];
    upper[k] = -weight[k];
    right[k] -= weight[k] * lag[k];
    right[k + 1] += weight[k] * lag[k];
  }
  for (let k = 1; k < m; k++) {
    const f = upper[k - 1] / diagonal[k - 1];
    diagonal[k] -= f * upper[k - 1];
    right[k] -= f * right[k - 1];
  }
  const out = new Float64Array(m);
  out[m - 1] = right[m - 1] / diagonal[m - 1];
  for (let k = m - 2; k >= 0; k--) out[k] = (right[k] - upper[k] * out[k + 1]) / diagonal[k];
  return keepApart(out);
}
