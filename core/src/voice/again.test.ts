import { singPhrases } from '@essim/demo';
import { splitTake } from '../plan';
import { asWhole, correctReading, headLength, noCorrections, readTake } from '../read';
import { analyseVoice } from '.';

/** What is made from a reading again, after something in it was put right: the same as made from nothing. */
const { samples, truth } = singPhrases([0, 2]);
const rate = truth.sampleRate;
const auto = readTake(samples, rate);
const middle = auto.notes[Math.floor(auto.notes.length / 2)];
const lower = {
  ...noCorrections,
  heard: [{ start: middle.start, end: middle.end, midi: middle.pitch - 12 }],
};
const spoken = {
  ...noCorrections,
  kinds: [{ start: middle.start - 0.2, end: middle.end + 0.3, kind: 'spoken' as const }],
};

const same = (a: ArrayLike<number>, b: ArrayLike<number>) =>
  a.length === b.length && Array.prototype.every.call(a, (v: number, i: number) => Object.is(v, b[i]));

describe.each([
  ['a note an octave lower', lower],
  ['a stretch that is talked', spoken],
])('after %s', (_, corrections) => {
  const { reading } = correctReading(auto, corrections);

  it('really changes the reading', () => {
    expect(same(reading.f0, auto.f0) && reading.notes.length === auto.notes.length).toBe(false);
  });

  it('the voice is analysed as from nothing, and what did not change is taken over', () => {
    const before = analyseVoice([samples, samples], rate, auto.f0, auto.hop);
    const were = new Set(before.segments);
    const again = analyseVoice([samples, samples], rate, reading.f0, reading.hop, before);
    const fresh = analyseVoice([samples, samples], rate, reading.f0, reading.hop);
    expect(again.segments.map(s => Array.from(s.epochs))).toEqual(fresh.segments.map(s => Array.from(s.epochs)));
    again.segments.forEach((s, i) => {
      for (const c of [0, 1]) {
        const [p, q] = [again.layersOf(s, c), fresh.layersOf(fresh.segments[i], c)];
        expect(same(p.pulses, q.pulses) && same(p.breath, q.breath)).toBe(true);
      }
    });
    expect(again.segments.filter(s => were.has(s)).length).toBeGreaterThan(again.segments.length / 2);
  });

  it('notes are split as from nothing, and what did not change is taken over', () => {
    const before = splitTake(auto);
    const again = splitTake(reading, before);
    const fresh = splitTake(reading);
    expect(again.notes).toHaveLength(fresh.notes.length);
    again.notes.forEach((n, i) => {
      expect(n.centre).toBe(fresh.notes[i].centre);
      expect(same(n.slow, fresh.notes[i].slow) && same(n.grain, fresh.notes[i].grain)).toBe(true);
      expect(n.transitionIn).toEqual(fresh.notes[i].transitionIn);
    });
    const were = new Set(before.notes);
    expect(again.notes.filter(n => were.has(n)).length).toBeGreaterThan(again.notes.length / 3);
  });

  it('and back again, as it was', () => {
    const before = analyseVoice([samples], rate, auto.f0, auto.hop);
    const layers = before.segments.map(s => before.layersOf(s, 0));
    const there = analyseVoice([samples], rate, reading.f0, reading.hop, before);
    const back = analyseVoice([samples], rate, auto.f0, auto.hop, there);
    expect(back.segments).toHaveLength(layers.length);
    back.segments.forEach((s, i) => expect(same(back.layersOf(s, 0).pulses, layers[i].pulses)).toBe(true));
  });
});

describe('the beginning of a long take', () => {
  it('ends in a rest and leaves most of the take to come', () => {
    const long = new Float32Array(samples.length * 6);
    for (let i = 0; i < 6; i++) long.set(samples, i * samples.length);
    const length = headLength(long, rate)!;
    expect(length / rate).toBeGreaterThan(12);
    expect(length / rate).toBeLessThan(32);
    const level = (from: number, to: number) =>
      Math.sqrt(long.subarray(from, to).reduce((s, v) => s + v * v, 0) / (to - from));
    expect(level(length - rate / 10, length + rate / 10)).toBeLessThan(0.02 * level(0, long.length));
  });

  it('is read as the whole would be, with nothing after it', () => {
    const duration = 10 * truth.duration;
    const whole = asWhole(auto, duration);
    const frames = Math.floor(duration / auto.hop) + 1;
    expect(whole.f0).toHaveLength(frames);
    expect(whole.candidates.count).toHaveLength((frames + 1) >> 1);
    expect(same(whole.f0.subarray(0, auto.f0.length), auto.f0)).toBe(true);
    expect(whole.f0.subarray(auto.f0.length).every(f => f === 0)).toBe(true);
    expect(splitTake(whole).notes).toHaveLength(auto.notes.length);
  });

  it('is not looked for in a short take or in silence', () => {
    expect(headLength(samples, rate)).toBeNull();
    expect(headLength(new Float32Array(rate * 100), rate)).toBeNull();
  });
});
