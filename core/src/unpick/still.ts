import { Fourier, hann, powerOfTwoFrom } from '../signal/fft';
import { SlidingMedian } from '../signal/sliding-median';
import { selected } from '../signal/statistics';
import type { Hertz, Seconds } from '../units';

/**
 * A recording without what stands still in it: the partials of strings, pipes and keyboards under voices. In a channel of a short
 * transform such a partial turns at one rate and is as large from frame to frame; a voice's does neither for long. The rate is the median
 * of how far the channel turns from frame to frame; turned back by it, the median over most of a second is what stands there. Medians
 * keep the edges at which chords are struck, and what passes in less than half of that time leaves nothing in them: a note sung at the
 * very pitch of one that is held stays.
 */

const WINDOW: Seconds = 0.12;
/** Frames overlap by so many in a window. */
const OVERLAP = 4;
/** Time to either side over which is looked at what stands. */
const HALF: Seconds = 0.4;
const UP_TO: Hertz = 5000;
/** How large what stands is beside the usual size of the channel: from the first on it counts, from the second on wholly. */
const STANDS = { from: 0.7, wholly: 0.9 };
/** What comes to less than this in the mean need not be looked at more closely. */
const HARDLY = 0.5;
/** Of a Hann window twice over, four frames a window. */
const OVERLAPPED = 1.5;
const NOTHING = 1e-12;
/** What is smaller than this beside the largest is not looked at, amplitude. */
const UNHEARD = 5e-4;

/** The power about a moment, and the share of it that does not stand still. */
export interface Left {
  power: number;
  left: number;
}

/** What stands still in a recording. */
export interface StillSound {
  about(at: Seconds): Left;
  /** The recording without it. */
  without(): Float32Array;
}

/**
 * @param x one channel @param progress is told what share is done, and stops it by answering false
 * @returns null when it was stopped
 */
export function stillIn(
  x: Float32Array,
  rate: Hertz,
  progress: (share: number) => boolean = () => true,
): StillSound | null {
  const size = powerOfTwoFrom(Math.round(WINDOW * rate));
  const half = Math.round((HALF * rate * OVERLAP) / size);
  const { re, im, frames } = channelsOf(x, size, Math.min(size / 2, Math.ceil((UP_TO / rate) * size)));
  const floor = UNHEARD * loudestOf(re, im) + NOTHING;
  const power = new Float64Array(frames);
  const left = new Float64Array(frames);
  for (let b = 0; b < re.length; b++) {
    if (b % 16 === 0 && !progress(b / re.length)) return null;
    const still = stillOf(re[b], im[b], b / OVERLAP, half, floor);
    for (let k = 0; k < frames; k++) {
      power[k] += re[b][k] ** 2 + im[b][k] ** 2;
      left[k] += (re[b][k] - still.re[k]) ** 2 + (im[b][k] - still.im[k]) ** 2;
    }
    [re[b], im[b]] = [still.re, still.im];
  }
  return {
    about: at => {
      const k = Math.max(0, Math.min(frames - 1, Math.round((at * rate * OVERLAP) / size) + OVERLAP / 2 - 1));
      return { power: power[k], left: left[k] / (power[k] + NOTHING) };
    },
    without: () => {
      const out = x.slice();
      takeAway({ re, im, frames }, size, out);
      return out;
    },
  };
}

/** The largest of all sizes. */
function loudestOf(re: readonly Float32Array[], im: readonly Float32Array[]): number {
  let most = 0;
  re.forEach((line, b) => {
    for (let k = 0; k < line.length; k++) most = Math.max(most, line[k] ** 2 + im[b][k] ** 2);
  });
  return Math.sqrt(most);
}

/** Complex numbers by channel, then frame. */
interface Channels {
  re: Float32Array[];
  im: Float32Array[];
  frames: number;
}

const firstSample = (frame: number, size: number): number => ((frame - OVERLAP + 1) * size) / OVERLAP;

function channelsOf(x: Float32Array, size: number, count: number): Channels {
  const frames = Math.ceil((x.length * OVERLAP) / size) + OVERLAP - 1;
  const empty = () => Array.from({ length: count }, () => new Float32Array(frames));
  const [re, im] = [empty(), empty()];
  const window = hann(size);
  const fourier = Fourier.of(size);
  const { output } = fourier;
  // two frames through each transform
  for (let k = 0; k < frames; k += 2) {
    fourier.loadPair(x, firstSample(k, size), firstSample(k + 1, size), window);
    fourier.forward();
    for (let b = 0; b < count; b++) {
      const j = b ? size - b : 0;
      re[b][k] = (output[2 * b] + output[2 * j]) / 2;
      im[b][k] = (output[2 * b + 1] - output[2 * j + 1]) / 2;
      if (k + 1 === frames) continue;
      re[b][k + 1] = (output[2 * b + 1] + output[2 * j + 1]) / 2;
      im[b][k + 1] = (output[2 * j] - output[2 * b]) / 2;
    }
  }
  return { re, im, frames };
}

/**
 * What stands still in a channel.
 * @param expected turns from frame to frame of what lies in its middle @param half frames to either side
 * @param floor what is smaller is left as it is
 */
function stillOf(
  re: Float32Array,
  im: Float32Array,
  expected: number,
  half: number,
  floor: number,
): { re: Float32Array; im: Float32Array } {
  const frames = re.length;
  const out = { re: new Float32Array(frames), im: new Float32Array(frames) };
  const turns = new Float64Array(frames);
  const size = new Float64Array(frames);
  for (let k = 0; k < frames; k++) size[k] = Math.sqrt(re[k] ** 2 + im[k] ** 2);
  for (let k = 1; k < frames; k++) {
    const turn =
      Math.atan2(im[k] * re[k - 1] - re[k] * im[k - 1], re[k] * re[k - 1] + im[k] * im[k - 1]) / (2 * Math.PI) -
      expected;
    turns[k] = turn - Math.round(turn);
  }
  const rate = new SlidingMedian(turns, 2 * half + 1);
  const usual = new SlidingMedian(size, 2 * half + 1);
  const [a, b] = Array.from({ length: 2 }, () => new Float64Array(2 * half + 1));
  for (let k = 1; k < frames; k++) {
    if (size[k] < floor) continue;
    const from = Math.max(1, k - half);
    const to = Math.min(frames - 1, k + half);
    const n = to - from + 1;
    const angle = -2 * Math.PI * (rate.over(from, to + 1) + expected);
    const [c, s] = [Math.cos(angle), Math.sin(angle)];
    // turned back step by step, from this frame on and to before it
    let [sumRe, sumIm, sum] = [0, 0, 0];
    for (let step = 1; step >= -1; step -= 2) {
      let p = 1;
      let q = 0;
      for (let j = k; j >= from && j <= to; j += step) {
        const i = j - from;
        sumRe += a[i] = re[j] * p - im[j] * q;
        sumIm += b[i] = re[j] * q + im[j] * p;
        sum += size[j];
        const turned = p * c - step * q * s;
        q = q * c + step * p * s;
        p = turned;
      }
    }
    if (sumRe ** 2 + sumIm ** 2 < (HARDLY * sum) ** 2) continue;
    const [r, m] = [selected(a, n >> 1, n), selected(b, n >> 1, n)];
    const still = r * r + m * m;
    const share =
      (Math.sqrt(still) / (usual.over(from, to + 1) + NOTHING) - STANDS.from) / (STANDS.wholly - STANDS.from);
    // never more than lies that way now: nothing is heard where nothing was
    const along = (re[k] * r + im[k] * m) / (still + NOTHING);
    const gain = Math.min(1, Math.max(0, share)) * Math.min(1, Math.max(0, along));
    out.re[k] = gain * r;
    out.im[k] = gain * m;
  }
  return out;
}

function takeAway({ re, im, frames }: Channels, size: number, out: Float32Array): void {
  const window = hann(size).map(w => w / (OVERLAPPED * size));
  const fourier = Fourier.of(size);
  const { input, output } = fourier;
  for (let k = 0; k < frames; k++) {
    input.fill(0);
    // backwards: conjugate, with its mirror
    for (let b = 1; b < re.length; b++) {
      input[2 * b] = input[2 * (size - b)] = re[b][k];
      input[2 * b + 1] = -im[b][k];
      input[2 * (size - b) + 1] = im[b][k];
    }
    fourier.forward();
    const zero = firstSample(k, size);
    for (let i = Math.max(0, -zero); i < size && zero + i < out.length; i++) out[zero + i] -= output[2 * i] * window[i];
  }
}
