import { hann, powerOfTwoFrom } from '../signal/fft';
import { FramePair } from '../signal/frame-pair';
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
  const out: Candidates = {
    count: new Uint8Array(frames),
    hz: new Float32Array(frames * MOST),
    periodicity: new Float32Array(frames * MOST),
    harmonicity: new Float32Array(frames * MOST),
  };
  const combLength = Math.min(size, Math.round(COMB_FRAME * sampleRate) & ~1);
  const pair = new FramePair(size, [new Float64Array(n).fill(1), hann(combLength)]);
  const [PLAIN, COMB] = [0, 1];
  const binsPerHz = size / sampleRate;
  const combTop = Math.min(COMB_TOP, sampleRate * 0.46);
  const combBins = Math.ceil(combTop * binsPerHz) + 2;

  /** Peaks of the similarity over lags of one of the frames. */
  const peaks = (k: number, part: 'first' | 'second') => {
    const similarity = pair.similarity(part, n, shortest - 1, longest, 4 * size);
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

  const comb = (k: number, root: Float32Array) => {
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
    pair.transform(x, centreA - n / 2, centreB - n / 2, PLAIN);
    // the powers of both frames, side by side, and back with one transform: both autocorrelations
    pair.powers();
    pair.back();
    peaks(k, 'first');
    if (second) peaks(k + 1, 'second');
    if (out.count[k] < 2 && (!second || out.count[k + 1] < 2)) {
      for (let q = k * MOST; q < Math.min(frames, k + 2) * MOST; q++) out.harmonicity[q] = 1;
      continue;
    }
    pair.transform(x, centreA - combLength / 2, centreB - combLength / 2, COMB);
    pair.powers(combBins + 1, true);
    comb(k, pair.first);
    if (second) comb(k + 1, pair.second);
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
  similarity: Float32Array,
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

function between(a: Float32Array, at: number): number {
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
