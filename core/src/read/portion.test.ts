import { singPhrases } from '@essim/demo';
import { seededRandom } from '../signal/random';
import { divisions, readInPortions, ReadingPortion, readTake, type PortionReader } from '.';

/** Three phrases with rests between, in a quiet room. */
const phrases = [0, 1, 2].map(p => singPhrases([p], { seed: 12 }).samples);
const rate = 48_000;
const rest = new Float32Array(1.3 * rate);
const hiss = seededRandom(3);
const samples = Float32Array.from(
  phrases.flatMap(p => [...p, ...rest]),
  v => v + 2e-5 * (hiss.uniform() - 0.5),
);

const portionsOf = (channels: Float32Array[], sampleRate: number, cuts: number[]): PortionReader[] =>
  [0, ...cuts].map((from, i) => new ReadingPortion(channels, sampleRate, 'auto', { from, to: cuts[i] ?? Infinity }));

describe('a take read in portions', () => {
  const whole = readTake(samples, rate);
  const marks = Array.from({ length: Math.floor((5 * samples.length) / rate) - 1 }, (_, i) => (i + 1) / 5);
  /** Places about which nothing is sung, and others. */
  const isRest = (f0: Float32Array) => (s: number) =>
    f0.subarray(Math.round((s - 0.4) * 200), Math.round((s + 0.4) * 200)).every(f => f === 0);
  const rests = marks.filter(isRest(whole.f0));

  it('is the reading of the whole, to the bit', async () => {
    expect(rests.length).toBeGreaterThan(0);
    for (const cuts of [rests.slice(0, 1), rests.slice(-1), [rests[0], rests[rests.length - 1]]]) {
      const told: number[] = [];
      const reading = await readInPortions(
        [samples],
        rate,
        [...new Set(cuts)],
        portionsOf([samples], rate, [...new Set(cuts)]),
        {
          onProgress: share => void told.push(share),
        },
      );
      expect(reading).not.toBeNull();
      for (const line of ['f0', 'levelDb', 'colour'] as const) expect(reading![line]).toEqual(whole[line]);
      expect(reading!.candidates).toEqual(whole.candidates);
      expect(reading!.noises).toEqual(whole.noises);
      expect(reading!.notes.map(({ start, end, pitch }) => ({ start, end, pitch }))).toEqual(
        whole.notes.map(({ start, end, pitch }) => ({ start, end, pitch })),
      );
      reading!.notes.forEach((n, i) => expect(n.onset).toBeCloseTo(whole.notes[i].onset, 4));
      expect(reading!.keys).toEqual(whole.keys);
      expect(told).toEqual([...told].sort((a, b) => a - b));
    }
  });

  it('is refused where a voice goes on across a border', async () => {
    const sung = marks.find(s => whole.f0[Math.round(s * 200)] > 0)!;
    expect(await readInPortions([samples], rate, [sung], portionsOf([samples], rate, [sung]))).toBeNull();
  });

  it('of silence, or stopped, fails as the whole does', async () => {
    const silence = [new Float32Array(3 * rate)];
    await expect(readInPortions(silence, rate, [1], portionsOf(silence, rate, [1]))).rejects.toThrow('silent');
    const stopped = readInPortions([samples], rate, rests.slice(0, 1), portionsOf([samples], rate, rests.slice(0, 1)), {
      onProgress: share => share < 0.1,
    });
    await expect(stopped).rejects.toThrow('stopped');
  });

  it('is divided in rests, near where its parts are equally long', () => {
    const [cut] = divisions([samples, samples], rate, 2);
    expect(rests.some(s => Math.abs(s - cut) < 0.001)).toBe(true);
    expect(divisions([samples], rate, 1)).toEqual([]);
    // a rate that cannot be halved on whole samples a second is not divided
    expect(divisions([samples], 47_999, 2)).toEqual([]);
  });

  it('at 44.1 kHz and in stereo too', async () => {
    const left = samples.subarray(0, 44_100 * 12);
    const channels = [left, left.map(v => 0.5 * v)];
    const mono = readTake(
      Float32Array.from(left, v => v / 2 + (0.5 * v) / 2),
      44_100,
    );
    const free = marks.find(isRest(mono.f0))!;
    const reading = await readInPortions(channels, 44_100, [free], portionsOf(channels, 44_100, [free]));
    expect(reading!.f0).toEqual(mono.f0);
  });
});
