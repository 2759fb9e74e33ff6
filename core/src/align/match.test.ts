import fc from 'fast-check';
import { seededRandom } from '../signal/random';
import { anchorAt } from './anchors';
import { TimeMap } from '../song/timemap';
import { Aligner } from './align';
import { DIMS, FINE, FINE_BANDS, FRAME, type AlignFeatures } from './features';
import { intervalIndex } from './intervals';
import { Distances, findWay, risingBand, type Way } from './match';

/** Made-up takes: each frame a random place in the space of features, so that no two moments are alike by chance. */
const random = seededRandom(11);
const sounds = Array.from({ length: 400 }, () => Float32Array.from({ length: DIMS }, () => random.normal()));
const SILENCE = -1;
const frames = (which: readonly number[]): AlignFeatures => {
  const n = which.length;
  const values = new Float32Array(n * DIMS);
  const silent = new Uint8Array(n);
  which.forEach((s, i) => (s === SILENCE ? (silent[i] = 1) : values.set(sounds[s], i * DIMS)));
  const none = new Float32Array(n);
  return {
    frames: n,
    values,
    silent,
    hissing: new Uint8Array(n),
    change: none,
    level: none,
    pitch: new Float32Array(n).fill(NaN),
    fine: new Float32Array(0),
    tone: none,
    toneHz: [],
  };
};
const range = (from: number, to: number) => Array.from({ length: to - from }, (_, i) => from + i);
const rest = (n: number) => new Array<number>(n).fill(SILENCE);
const PRICES = { stranger: 4.6, bending: 0.3 };
/** The way through two whole takes, every pair of frames allowed. */
function way(follower: readonly number[], lead: readonly number[]): Way {
  const [a, b] = [frames(follower), frames(lead)];
  const band = risingBand(new Int32Array(a.frames), new Int32Array(a.frames).fill(b.frames - 1), b.frames);
  return findWay(new Distances(a, b, band, 4), PRICES);
}

describe('the way through two takes', () => {
  test('of the same sound is straight', () => {
    const { met, alone } = way(range(0, 60), range(0, 60));
    met.forEach((j, i) => expect(j).toBe(i));
    expect(alone.every(v => v === 0)).toBe(true);
  });

  test('of one that is late meets each moment where it was', () => {
    const words = range(0, 80);
    const { met } = way([...rest(12), ...words, ...rest(3)], [...rest(3), ...words, ...rest(12)]);
    for (let i = 0; i < words.length; i++) expect(met[12 + i]).toBe(3 + i);
  });

  test('a word only the follower has is alone, and the rest meets as if it were not there', () => {
    const { met, alone } = way(
      [...range(0, 40), ...rest(4), ...range(300, 325), ...rest(4), ...range(40, 80)],
      [...range(0, 40), ...rest(6), ...range(40, 80)],
    );
    expect(alone.slice(44, 69).every(v => v === 1)).toBe(true);
    for (let i = 0; i < 40; i++) {
      expect(met[i]).toBe(i);
      expect(met[73 + i]).toBe(46 + i);
    }
  });

  test('a word only the lead has is passed over', () => {
    const { met, alone, first, last } = way(
      [...range(0, 40), ...rest(6), ...range(40, 80)],
      [...range(0, 40), ...rest(4), ...range(300, 325), ...rest(4), ...range(40, 80)],
    );
    expect(alone.slice(0, 40).every(v => v === 0)).toBe(true);
    for (let i = 0; i < 40; i++) {
      expect(met[i]).toBe(i);
      expect(met[46 + i]).toBe(73 + i);
    }
    // somewhere in the rest all of it goes by
    expect(range(38, 47).some(i => first[i] <= 44 && last[i] >= 68)).toBe(true);
  });

  test('a held sound may be half or twice as long', () => {
    const held = (n: number) => range(0, 30).flatMap(s => new Array<number>(n).fill(s));
    const { met } = way(held(4), held(2));
    const errors = Array.from(met, (j, i) => Math.abs(j - i / 2)).filter(Number.isFinite);
    expect(errors.length).toBeGreaterThan(90);
    expect(Math.max(...errors)).toBeLessThanOrEqual(2);
  });

  test('whatever is sung, it never goes back, and ends where both end', () => {
    const take = fc.array(fc.integer({ min: SILENCE, max: 12 }), { minLength: 4, maxLength: 60 });
    fc.assert(
      fc.property(take, take, (a, b) => {
        const { met, first, last } = way(a, b);
        let before = -1;
        met.forEach((j, i) => {
          if (Number.isNaN(j)) return;
          expect(j).toBeGreaterThanOrEqual(before);
          expect(j).toBeLessThan(b.length);
          expect(first[i]).toBeLessThanOrEqual(last[i]);
          before = j;
        });
        expect(last[a.length - 1]).toBe(b.length - 1);
      }),
      { numRuns: 60 },
    );
  });

  test('distances taken over from another band are those made anew', () => {
    const [a, b] = [frames(range(0, 60)), frames(range(20, 90))];
    const bandAt = (shift: number, half: number) =>
      risingBand(
        Int32Array.from({ length: 60 }, (_, i) => i + shift - half),
        Int32Array.from({ length: 60 }, (_, i) => i + shift + half),
        b.frames,
      );
    const known = new Distances(a, b, bandAt(0, 12), 4);
    for (const [shift, half] of [
      [0, 5],
      [9, 8],
      [-4, 20],
      [30, 4],
    ]) {
      const fresh = new Distances(a, b, bandAt(shift, half), 4);
      expect(new Distances(a, b, bandAt(shift, half), 4, known).values).toEqual(fresh.values);
    }
  });

  test('what intervals cost comes to the same before and after, and keeps two words of one colour apart', () => {
    const pitched = (which: readonly number[], midi: number) => {
      const f = frames(which);
      return { ...f, pitch: f.pitch.map((_, k) => (f.silent[k] ? NaN : midi + (k >= which.length / 2 ? 5 : 0))) };
    };
    const one = pitched([...new Array<number>(20).fill(7), ...new Array<number>(20).fill(7)], 60);
    const band = risingBand(new Int32Array(40), new Int32Array(40).fill(39), 40);
    const prices = new Float32Array(600).fill(3);
    prices.fill(0, intervalIndex(60, 59), intervalIndex(60, 61) + 1);
    const after = new Distances(one, one, band, 4);
    after.charge(prices);
    const before = new Distances(one, one, band, 4, undefined, prices).values;
    before.forEach((v, i) => expect(after.values[i]).toBeCloseTo(v, 5));
    findWay(after, PRICES).met.forEach((j, i) => expect(j < 20).toBe(i < 20));
  });

  /** The same way told the plainest way: of every cell and state the cheapest list of steps there, whole. */
  function plainWay(d: Distances, { stranger, bending }: typeof PRICES): { met: number[][]; alone: number[] } {
    const { follower, lead, band } = d;
    const scale = (FRAME * d.step) / 0.02;
    type Step = [state: number, i: number, j: number];
    interface Told {
      cost: number;
      steps: Step[];
    }
    const known = new Map<string, Told>();
    const inside = (i: number, j: number) => i >= 0 && j >= band.low[i] && j <= band.high[i];
    const at = (i: number, j: number) => d.values[d.offsets[i] + j - band.low[i]];
    const told = (state: number, i: number, j: number): Told | null =>
      inside(i, j) ? (known.get(`${state} ${i} ${j}`) ?? null) : null;
    for (let i = 0; i < follower.frames; i++)
      for (let j = band.low[i]; j <= band.high[i]; j++) {
        const [quietA, quietB] = [follower.silent[i], lead.silent[j]];
        const aloneCost = (quiet: number) => (quiet ? 0.06 : stranger * 0.5) * scale;
        const open = quietA && quietB ? 0.15 : 8 * stranger * (quietA || quietB ? 0.35 : 1);
        const put = (state: number, ways: [Told | null, number, Step[]][]) => {
          let best: Told = { cost: 1e9, steps: [] };
          for (const [from, more, steps] of ways)
            if (from && from.cost + more < best.cost)
              best = { cost: from.cost + more, steps: [...from.steps, ...steps] };
          known.set(`${state} ${i} ${j}`, best);
        };
        const begin: Told | null = i === 0 && j === 0 ? { cost: 0, steps: [] } : null;
        const here = at(i, j);
        const met: Step = [0, i, j];
        put(0, [
          [begin, here, [met]],
          ...[0, 1, 2].map((s): [Told | null, number, Step[]] => [told(s, i - 1, j - 1), here, [met]]),
          [told(0, i - 1, j - 2), 1.5 * here + bending * scale, [met]],
          [
            inside(i - 1, j) ? told(0, i - 2, j - 1) : null,
            (inside(i - 1, j) ? at(i - 1, j) : 0) + 0.5 * here + bending * scale,
            [[0, i - 1, j - 0.5], met],
          ],
        ]);
        const lone = aloneCost(quietA);
        put(1, [
          [begin, lone, [[1, i, j]]],
          [told(1, i - 1, j), lone, [[1, i, j]]],
          [told(0, i - 1, j), open + lone, [[1, i, j]]],
          [told(2, i - 1, j), lone, [[1, i, j]]],
        ]);
        const passed = aloneCost(quietB);
        put(2, [
          [begin, passed, []],
          [told(2, i, j - 1), passed, []],
          [told(0, i, j - 1), open + passed, []],
          [told(1, i, j - 1), passed, []],
        ]);
      }
    const [n, m] = [follower.frames, lead.frames];
    const ends = [0, 1, 2].map(s => known.get(`${s} ${n - 1} ${m - 1}`)!);
    const { steps } = ends.reduce((a, b) => (b.cost < a.cost ? b : a));
    const met = Array.from({ length: n }, (_, i) => steps.filter(([s, k]) => s === 0 && k === i).map(([, , j]) => j));
    return { met, alone: met.map((js, i) => (!js.length && steps.some(([s, k]) => s === 1 && k === i) ? 1 : 0)) };
  }

  test('is the one that costs least, whatever is silent and however wide the band is', () => {
    for (let seed = 1; seed <= 12; seed++) {
      const r = seededRandom(seed);
      const sung = (n: number) =>
        Array.from({ length: n }, () => (r.uniform() < 0.2 ? SILENCE : Math.floor(r.uniform() * 12)));
      const [a, b] = [frames(sung(20 + seed)), frames(sung(34 - seed))];
      const half = seed % 2 ? 40 : 9;
      const centre = (i: number) => (i * b.frames) / a.frames;
      const border = (by: number) => Int32Array.from({ length: a.frames }, (_, i) => Math.round(centre(i) + by));
      const d = new Distances(a, b, risingBand(border(-half), border(half), b.frames), 4);
      const found = findWay(d, PRICES);
      const plain = plainWay(d, PRICES);
      plain.met.forEach((js, i) => {
        if (js.length) expect(found.met[i]).toBeCloseTo(js.reduce((s, j) => s + j, 0) / js.length, 4);
        else expect(found.met[i]).toBeNaN();
      });
      expect([...found.alone]).toEqual(plain.alone);
    }
  });

  test('can be stopped', () => {
    const a = frames(range(0, 40));
    const band = risingBand(new Int32Array(40), new Int32Array(40).fill(39), 40);
    expect(() =>
      findWay(new Distances(a, a, band, 4), PRICES, () => {
        throw new Error('enough');
      }),
    ).toThrow('enough');
  });
});

test('a band rises, and holds both beginnings and both ends', () => {
  const border = fc.array(fc.integer({ min: -20, max: 120 }), { minLength: 2, maxLength: 50 });
  fc.assert(
    fc.property(border, border, (a, b) => {
      const n = Math.min(a.length, b.length);
      const low = Int32Array.from({ length: n }, (_, i) => Math.min(a[i], b[i]));
      const high = Int32Array.from({ length: n }, (_, i) => Math.max(a[i], b[i]));
      const band = risingBand(low, high, 100);
      expect(band.low[0]).toBe(0);
      expect(band.high[n - 1]).toBe(99);
      for (let i = 0; i < n; i++) {
        expect(band.low[i]).toBeLessThanOrEqual(band.high[i]);
        if (!i) continue;
        expect(band.low[i]).toBeGreaterThanOrEqual(band.low[i - 1]);
        expect(band.high[i]).toBeGreaterThanOrEqual(band.high[i - 1]);
      }
    }),
  );
});

test('a breath taken for one a second later gives way to the words about it', () => {
  // only the follower sings the word after the breath; the lead breathes just before the next one
  const [words, breath, more] = [range(0, 120), range(300, 330), range(120, 240)];
  const lone = range(330, 400);
  const follower = frames([...words, ...rest(40), ...breath, ...rest(5), ...lone, ...more]);
  const lead = frames([...words, ...rest(40 + 70), ...breath, ...rest(5), ...more]);
  const { map, apart } = new Aligner(follower, lead).align();
  const time = TimeMap.through(map);
  const at = (frame: number) => (time.forward(frame * FRAME) - frame * FRAME) * 1000;
  expect(apart).toHaveLength(1);
  for (const k of [20, 60, 100]) expect(Math.abs(at(k))).toBeLessThan(12);
  for (const k of [285, 325, 365]) expect(Math.abs(at(k))).toBeLessThan(12);
});

describe('an anchor', () => {
  /** Envelopes in which something begins every now and then, the whole moved by so many seconds. */
  const moving = (late: number): AlignFeatures => {
    const n = 1000;
    const fine = new Float32Array(n * FINE_BANDS);
    for (let k = 0; k < n; k++)
      for (let q = 0; q < FINE_BANDS; q++) {
        const t = k * FINE - late;
        fine[k * FINE_BANDS + q] = [0.31, 0.62, 1.11, 1.4]
          .map((at, i) => 4 / (1 + Math.exp(-(t - at - 0.004 * ((q * (i + 1)) % 5)) / 0.006)) - 2)
          .reduce((a, b) => a + b, 0);
      }
    return { ...frames([0]), fine };
  };

  test('is found to a fraction of a millisecond, whatever was expected within 25 ms', () => {
    for (const late of [-0.0183, -0.004, 0, 0.0077, 0.0231]) {
      const found = anchorAt(moving(0), moving(late), 0.62, 0.62)!;
      expect(Math.abs(found.lead - 0.62 - late)).toBeLessThan(0.0005);
      expect(found.match).toBeGreaterThan(0.95);
    }
  });

  test('is not made where nothing happens, at the ends, or where the other is not alike', () => {
    expect(anchorAt(moving(0), moving(0), 0.9, 0.9)).toBeNull();
    expect(anchorAt(moving(0), moving(0), 0.02, 0.02)).toBeNull();
    expect(anchorAt(moving(0), moving(0), 0.62, 0.9)).toBeNull();
    expect(anchorAt(moving(0), moving(0.045), 0.62, 0.62)).toBeNull();
  });
});
