import { Fourier, hann, powerOfTwoFrom } from '../signal/fft';
import { CANDIDATES_PER_FRAME as MOST, HOP, type Candidates } from './reading';

/** Frame of the periodicity measure, s: over one and a half of the longest periods, short enough for a vibrato. */
const FRAME = 0.036;
/** Frame of the harmonic measure, s, and the highest harmonic it looks at, Hz. */
const COMB_FRAME = 0.0427;
const COMB_TOP = 4500;
const LEAST_PERIODICITY = 0.3;
/** A lower candidate must be this much better per octave. */
export const OCTAVE_COST = 0.15;
const PRIMES = [1, 2, 3, 5, 7, 11, 13];
const PRIME_WEIGHTS = PRIMES.map(h => 1 / Math.sqrt(h));
const LOWEST_COMB = -0.6;
/** So periodic a candidate gets its octave looked at too; that one has at least so much. */
const SURE = 0.8;
const LEAST_OCTAVE = 0.02;

/**
 * Pitch candidates each 10 ms. Two strengths each: the normalised square difference 2r/(e1+e2) at the period's lag, in a frame that
 * lies symmetric about its centre at every lag (McLeod and Wyvill 2005), and a comb of prime harmonics on the fourth root of power
 * (Camacho and Harris 2008).
 * @param x the voice, high-passed, at about 12 kHz
 * @param frames count of 10 ms frames; frame k is centred at 2 k HOP
 * @param silent whether a frame is too far under the take's level to hold a voice; such frames get no candidates
 * @param onFrame called before each pair of frames
 * Cost: two complex transforms of 1024 for two frames.
 */
export function findCandidates(
  x: Float32Array,
  sampleRate: number,
  frames: number,
  lowestHz: number,
  highestHz: number,
  silent: (k: number) => boolean,
  onFrame: (k: number) => void,
): Candidates {
  const n = Math.round(FRAME * sampleRate) & ~1;
  const longest = Math.ceil(sampleRate / lowestHz) + 2;
  const shortest = Math.max(2, Math.floor(sampleRate / highestHz));
  const size = powerOfTwoFrom(n + longest);
  const fourier = Fourier.of(size);
  const { input, output } = fourier;
  const out: Candidates = {
    count: new Uint8Array(frames),
    hz: new Float32Array(frames * MOST),
    periodicity: new Float32Array(frames * MOST),
    harmonicity: new Float32Array(frames * MOST),
  };
  const energy = new Float64Array(n + 1);
  const similarity = new Float64Array(longest + 1);
  const combLength = Math.min(size, Math.round(COMB_FRAME * sampleRate) & ~1);
  const window = hann(combLength);
  const rootA = new Float64Array(size / 2 + 2);
  const rootB = new Float64Array(size / 2 + 2);
  const binsPerHz = size / sampleRate;
  const combTop = Math.min(COMB_TOP, sampleRate * 0.46);
  const combBins = Math.ceil(combTop * binsPerHz) + 2;

  const plain = new Float64Array(n).fill(1);
  /** Two frames about their centres, one as the real, one as the imaginary part. */
  const transform = (centreA: number, centreB: number, shape: Float64Array) => {
    const half = shape.length / 2;
    fourier.loadPair(x, centreA - half, centreB - half, shape);
    fourier.forward();
  };

  /** Peaks of the similarity over lags; part: 0 the real frame, 1 the imaginary one. */
  const peaks = (k: number, part: 0 | 1, start: number) => {
    let sum = 0;
    const inside = start >= 0 && start + n <= x.length;
    for (let i = 0; i < n; i++) {
      const v = inside ? x[start + i] : (x[start + i] ?? 0);
      sum += v * v;
      energy[i + 1] = sum;
    }
    for (let lag = shortest - 1; lag <= longest; lag++)
      similarity[lag] = (2 * output[2 * lag + part]) / size / (energy[n - lag] + energy[n] - energy[lag] + 1e-10 * n);
    const base = k * MOST;
    let m = 0;
    for (let lag = shortest; lag < longest; lag++) {
      const y1 = similarity[lag];
      if (y1 <= LEAST_PERIODICITY || y1 < similarity[lag - 1] || y1 <= similarity[lag + 1]) continue;
      const y0 = similarity[lag - 1];
      const y2 = similarity[lag + 1];
      const shift = (0.5 * (y0 - y2)) / (y0 - 2 * y1 + y2);
      const hz = sampleRate / (lag + shift);
      const height = Math.min(1, y1 - 0.25 * (y0 - y2) * shift);
      m = insert(out, base, m, hz, height);
    }
    out.count[k] = addOctave(out, base, m, sampleRate, similarity, shortest);
  };

  const comb = (k: number, root: Float64Array) => {
    const base = k * MOST;
    let best = 1e-9;
    for (let j = 0; j < out.count[k]; j++) {
      const f = out.hz[base + j];
      let s = 0;
      for (let q = 0; q < PRIMES.length; q++) {
        const g = PRIMES[q] * f;
        if (g + f / 2 > combTop) break;
        s +=
          PRIME_WEIGHTS[q] *
          (between(root, g * binsPerHz) -
            0.5 * (between(root, (g - f / 2) * binsPerHz) + between(root, (g + f / 2) * binsPerHz)));
      }
      out.harmonicity[base + j] = s;
      if (s > best) best = s;
    }
    for (let j = 0; j < out.count[k]; j++)
      out.harmonicity[base + j] = Math.max(LOWEST_COMB, out.harmonicity[base + j] / best);
  };

  for (let k = 0; k < frames; k += 2) {
    onFrame(k);
    const second = k + 1 < frames;
    if (silent(k) && (!second || silent(k + 1))) continue;
    const centreA = Math.round(2 * k * HOP * sampleRate);
    const centreB = Math.round(2 * (k + 1) * HOP * sampleRate);
    transform(centreA, centreB, plain);
    // power spectra of both frames, side by side, and back with one transform: both autocorrelations
    for (let i = 0, j = 0; i <= size / 2; i++, j = size - i) {
      const ar = 0.5 * (output[2 * i] + output[2 * j]);
      const ai = 0.5 * (output[2 * i + 1] - output[2 * j + 1]);
      const br = 0.5 * (output[2 * i + 1] + output[2 * j + 1]);
      const bi = 0.5 * (output[2 * j] - output[2 * i]);
      input[2 * i] = input[2 * j] = ar * ar + ai * ai;
      input[2 * i + 1] = input[2 * j + 1] = br * br + bi * bi;
    }
    fourier.forward();
    peaks(k, 0, centreA - n / 2);
    if (second) peaks(k + 1, 1, centreB - n / 2);
    if (out.count[k] < 2 && (!second || out.count[k + 1] < 2)) {
      for (let q = k * MOST; q < Math.min(frames, k + 2) * MOST; q++) out.harmonicity[q] = 1;
      continue;
    }
    transform(centreA, centreB, window);
    for (let i = 1; i <= combBins; i++) {
      const j = size - i;
      const ar = output[2 * i] + output[2 * j];
      const ai = output[2 * i + 1] - output[2 * j + 1];
      const br = output[2 * i + 1] + output[2 * j + 1];
      const bi = output[2 * j] - output[2 * i];
      rootA[i] = Math.sqrt(Math.sqrt(ar * ar + ai * ai));
      rootB[i] = Math.sqrt(Math.sqrt(br * br + bi * bi));
    }
    comb(k, rootA);
    if (second) comb(k + 1, rootB);
  }
  return out;
}

/**
 * The octave above the surest candidate, though nothing peaks there: in a rough voice whose pulses alternate it is what is sung,
 * and only its harmonics tell. @returns the count of candidates
 */
function addOctave(
  c: Candidates,
  base: number,
  count: number,
  sampleRate: number,
  similarity: Float64Array,
  shortest: number,
): number {
  // they are in order; the most periodic one may be a fraction of it
  let top = base;
  while (top < base + count && c.periodicity[top] < SURE) top++;
  if (top === base + count) return count;
  const hz = 2 * c.hz[top];
  const lag = Math.round(sampleRate / hz);
  if (lag < shortest) return count;
  for (let i = base; i < base + count; i++) if (Math.abs(c.hz[i] / hz - 1) < 0.06) return count;
  const i = base + Math.min(count, MOST - 1);
  if (i === top) return count;
  c.hz[i] = hz;
  c.periodicity[i] = Math.max(LEAST_OCTAVE, similarity[lag]);
  return Math.min(MOST, count + 1);
}

function between(a: Float64Array, at: number): number {
  const i = at | 0;
  const u = at - i;
  return a[i] * (1 - u) + a[i + 1] * u;
}

/** Keeps the list sorted by periodicity with the octave's advantage; returns its new length. */
function insert(c: Candidates, base: number, m: number, hz: number, height: number): number {
  const score = height + OCTAVE_COST * Math.log2(hz);
  let j = m;
  if (m === MOST) {
    j = MOST - 1;
    if (c.periodicity[base + j] + OCTAVE_COST * Math.log2(c.hz[base + j]) > score) return m;
  }
  while (j > 0 && c.periodicity[base + j - 1] + OCTAVE_COST * Math.log2(c.hz[base + j - 1]) < score) {
    c.hz[base + j] = c.hz[base + j - 1];
    c.periodicity[base + j] = c.periodicity[base + j - 1];
    j--;
  }
  c.hz[base + j] = hz;
  c.periodicity[base + j] = height;
  return Math.min(MOST, m + 1);
}
