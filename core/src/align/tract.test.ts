import { seededRandom } from '../signal/random';
import { alignFeatures, FRAME, type AlignFeatures } from './features';
import { featuresAlike } from './tract';

const RATE = 24000;
const SECONDS = 12;
/** First three formants of some vowels, Hz. */
const VOWELS = [
  [730, 1090, 2440],
  [270, 2290, 3010],
  [300, 870, 2240],
  [530, 1840, 2480],
  [570, 840, 2410],
];

/** Vowels that glide into each other, every quarter of a second another, on a pitch; rests between them. @param tract what formants are multiplied by */
function sung(hz: number, tract: number, tilt = 0, seed = 3): Float32Array {
  const random = seededRandom(seed);
  const order = Array.from({ length: SECONDS * 4 + 2 }, () => VOWELS[Math.floor(random.uniform() * VOWELS.length)]);
  const x = new Float32Array(SECONDS * RATE);
  const step = 240;
  for (let from = 0; from < x.length; from += step) {
    const t = (from / RATE) * 4;
    const k = Math.floor(t);
    if (k % 8 === 7) continue;
    const formants = order[k].map((f, i) => tract * (f + (order[k + 1][i] - f) * (t - k)));
    for (let h = 1; h * hz < 8000; h++) {
      const f = h * hz;
      const gain = formants.reduce((sum, c, i) => sum + 0.5 ** i / (1 + ((f - c) / (60 + 40 * i)) ** 2), 0.002);
      const level = gain * 10 ** ((tilt * Math.log2(f / 1000)) / 20);
      for (let i = from; i < from + step; i++) x[i] += level * Math.sin((2 * Math.PI * f * i) / RATE);
    }
  }
  return x;
}

/** By how much a follower's formants were taken to lie higher than its lead's. */
function stretchOf(follower: Float32Array, lead: Float32Array, pitches: [number, number]): number {
  const f0 = (hz: number) => new Float32Array(Math.ceil(SECONDS / FRAME) + 1).fill(hz);
  const asked: number[] = [];
  const features = (stretch: number): AlignFeatures => {
    asked.push(stretch);
    return alignFeatures(follower, RATE, SECONDS, f0(pitches[0]), stretch);
  };
  const found = featuresAlike(features, alignFeatures(lead, RATE, SECONDS, f0(pitches[1])));
  const last = asked[asked.length - 1];
  // what is handed back is what was made last
  expect(found.toneHz).toEqual(features(last).toneHz);
  return last;
}

describe('a voice beside another', () => {
  const lead = sung(130, 1);

  it.each([
    [1.17, 210],
    [0.88, 110],
    [1.12, 130],
  ])('with formants %d times as high is looked at where they lie', (tract, hz) => {
    expect(Math.abs(Math.log(stretchOf(sung(hz, tract), lead, [hz, 130]) / tract))).toBeLessThan(0.045);
  });

  it('of the same throat is looked at as it is, sung higher, duller or brighter', () => {
    expect(stretchOf(lead, lead, [130, 130])).toBe(1);
    expect(stretchOf(sung(160, 1), lead, [160, 130])).toBe(1);
    for (const tilt of [-9, 6]) expect(stretchOf(sung(130, 1, tilt), lead, [130, 130])).toBe(1);
  });

  it('that has nothing in common with it, or hardly sounds, is looked at as it is', () => {
    const noise = seededRandom(5);
    expect(
      stretchOf(
        Float32Array.from({ length: SECONDS * RATE }, () => 0.1 * noise.normal()),
        lead,
        [0, 130],
      ),
    ).toBe(1);
    const short = new Float32Array(SECONDS * RATE);
    short.set(sung(200, 1.2).subarray(0, RATE));
    expect(stretchOf(short, lead, [200, 130])).toBe(1);
  });
});
