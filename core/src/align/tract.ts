import { FRAME, TONE_STEP, coarser, type AlignFeatures, type Frames } from './features';
import { Distances, findWay, risingBand } from './match';
import type { Seconds } from '../units';

/** So much of a pair is looked at, from where both sound, at least; and this share of a long one. */
const LOOKED_AT: Seconds = 20;
const LOOKED_AT_SHARE = 0.1;
const REACH: Seconds = 2.5;
/** Ratios that are tried, and the band of frequencies in which: formants, above most harmonics that could be told one by one. */
const RATIOS = Array.from({ length: 19 }, (_, i) => 1.03 ** (i - 9));
const FROM_HZ = 1000;
const TO_HZ = 6500;
/** Fewer moments tell nothing. */
const FEWEST = 150;
/** A ratio must make the two so much more alike, and be so far from one, to count. */
const LEAST_GAIN = 0.01;
const LEAST_RATIO = 0.04;

/**
 * What is compared of a follower, its formants brought to where its lead's are.
 * @param features of the follower, its formants looked for so much higher than usual
 */
export function featuresAlike(features: (stretch: number) => AlignFeatures, lead: AlignFeatures): AlignFeatures {
  const usual = features(1);
  const ratio = tractRatio(usual, lead);
  return ratio === 1 ? usual : features(ratio);
}

/**
 * How much higher the formants of one voice lie than another's, by moments at which both sing the same: by which ratio its spectra must
 * be stretched to be most like the other's. What differs all the time (the microphone) and what differs in loudness counts for nothing.
 * Tract-length normalisation by the likeliest stretch of the frequencies (Lee and Rose 1996).
 * @returns 1 where nothing is won by another
 */
function tractRatio(follower: AlignFeatures, lead: AlignFeatures): number {
  const from = firstTogether(follower, lead);
  const count = Math.round(Math.max(LOOKED_AT / FRAME, LOOKED_AT_SHARE * follower.frames));
  const [a, b] = [follower, lead].map(f => part(f, from, count));
  const pairs = together(a, b);
  if (pairs.length < FEWEST) return 1;
  const first = Math.floor(from / TONE_STEP);
  const likes = RATIOS.map(r => alike(follower, lead, pairs, first, r));
  const usual = likes[RATIOS.indexOf(1)];
  const best = likes.indexOf(Math.max(...likes));
  if (likes[best] - usual < LEAST_GAIN || Math.abs(Math.log(RATIOS[best])) < LEAST_RATIO) return 1;
  return RATIOS[best];
}

function firstTogether(a: AlignFeatures, b: AlignFeatures): number {
  const first = Math.max(a.silent.indexOf(0), b.silent.indexOf(0)) - Math.round(REACH / FRAME);
  return Math.max(0, Math.floor(first / TONE_STEP) * TONE_STEP);
}

/** Some of a take's frames, as for a first look. */
function part({ frames, values, silent, pitch }: Frames, from: number, count: number): Frames {
  const n = Math.min(count, frames - from);
  const dims = values.length / frames;
  return coarser(
    {
      frames: n,
      values: values.subarray(from * dims, (from + n) * dims),
      silent: silent.subarray(from, from + n),
      pitch: pitch.subarray(from, from + n),
    },
    TONE_STEP,
  );
}

/** Moments at which both sing, as numbers of their frames. */
function together(a: Frames, b: Frames): [number, number][] {
  const reach = Math.round(REACH / (FRAME * TONE_STEP));
  const border = (by: number) => Int32Array.from({ length: a.frames }, (_, i) => i + by);
  const d = new Distances(a, b, risingBand(border(-reach), border(reach), b.frames), TONE_STEP);
  const { met } = findWay(d, { stranger: 1e3, bending: 0.12 });
  const out: [number, number][] = [];
  met.forEach((j, i) => {
    if (!Number.isInteger(j) || a.silent[i] || b.silent[j]) return;
    if (a.pitch[i] === a.pitch[i] && b.pitch[j] === b.pitch[j]) out.push([i, j]);
  });
  return out;
}

/** Correlation of the two spectra at these moments, the first one's stretched; what each is in the mean over time and over bands left out. */
function alike(a: AlignFeatures, b: AlignFeatures, pairs: [number, number][], first: number, ratio: number): number {
  const bands = b.toneHz.length;
  const used = b.toneHz.flatMap((f, q) => (f >= FROM_HZ && f <= TO_HZ ? [q] : []));
  // where in its own bands the first one's spectrum is read
  const places = used.map(q => {
    const f = b.toneHz[q] * ratio;
    const above = Math.max(
      1,
      Math.min(
        bands - 1,
        a.toneHz.findIndex(v => v >= f),
      ),
    );
    return { below: above - 1, share: (f - a.toneHz[above - 1]) / (a.toneHz[above] - a.toneHz[above - 1]) };
  });
  const n = used.length;
  const x = new Float64Array(pairs.length * n);
  const y = new Float64Array(pairs.length * n);
  pairs.forEach(([i, j], k) => {
    const [p, q] = [(first + i) * bands, (first + j) * bands];
    places.forEach(({ below, share }, c) => {
      x[k * n + c] = a.tone[p + below] + share * (a.tone[p + below + 1] - a.tone[p + below]);
      y[k * n + c] = b.tone[q + used[c]];
    });
  });
  for (const v of [x, y]) {
    centre(v, pairs.length, n, (k, c) => k * n + c);
    centre(v, n, pairs.length, (c, k) => k * n + c);
  }
  let [xx, yy, xy] = [1e-9, 1e-9, 0];
  for (let i = 0; i < x.length; i++) {
    xx += x[i] * x[i];
    yy += y[i] * y[i];
    xy += x[i] * y[i];
  }
  return xy / Math.sqrt(xx * yy);
}

/** Takes the mean off each of some rows. */
function centre(v: Float64Array, rows: number, length: number, at: (row: number, i: number) => number): void {
  for (let r = 0; r < rows; r++) {
    let sum = 0;
    for (let i = 0; i < length; i++) sum += v[at(r, i)];
    for (let i = 0; i < length; i++) v[at(r, i)] -= sum / length;
  }
}
