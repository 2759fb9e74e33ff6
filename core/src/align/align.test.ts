import { perform, SAMPLE_RATE, smallRoom, songScore, type Performance, type ScoreOptions } from '@essim/demo';
import { quantile } from '../signal/statistics';
import { TimeMap } from '../song/timemap';
import { alignFeatures, Aligner, alignPair, followedMap, NothingToAlign, offsetsOf, type Alignment } from './index';

const sing = (voice: string, options: ScoreOptions, seed: number, late = 0): Performance => {
  const score = songScore({ phrases: [4, 5], ...options });
  const first = score[0].t - 1;
  for (const s of score) s.t += late - first;
  const last = score[score.length - 1];
  const { samples, truth } = perform(score, voice, { seed, duration: last.t + last.duration + 0.8 });
  return { samples: smallRoom(samples, seed), truth };
};
const lead = sing('tenor', { seed: 811 }, 812);
const double = sing('secondTenor', { seed: 861, loose: 0.04 }, 813);
const align = (follower: Performance, to = lead): Alignment => alignPair(to.samples, follower.samples, SAMPLE_RATE);

/** Errors at the onsets of words both have, ms. */
function errors(map: TimeMap, follower: Performance, to = lead): number[] {
  const words = follower.truth.words.filter(w => to.truth.words.some(o => o.word === w.word && o.phrase === w.phrase));
  return words.map(w => {
    const same = to.truth.words.filter(o => o.word === w.word && o.phrase === w.phrase);
    return Math.min(...same.map(o => Math.abs(map.forward(w.start) - o.start))) * 1000;
  });
}
const rising = ({ map }: Alignment) => map.every((p, i) => !i || (p.from > map[i - 1].from && p.to > map[i - 1].to));

test('a double is matched to a few milliseconds, by a map that rises', () => {
  const found = align(double);
  const e = errors(TimeMap.through(found.map), double);
  expect(quantile(e, 0.5)).toBeLessThan(4);
  expect(quantile(e, 0.9)).toBeLessThan(20);
  expect(rising(found)).toBe(true);
  expect(found.apart).toEqual([]);
  expect(found.confidence).toBeGreaterThan(0.6);
});

test('another singer an octave away, two seconds late, is matched too', () => {
  const low = sing('bass', { seed: 871, transpose: m => m - 12 }, 814, 2);
  const found = align(low);
  expect(quantile(errors(TimeMap.through(found.map), low), 0.5)).toBeLessThan(8);
  expect(rising(found)).toBe(true);
});

test('a word only the follower has is found, keeps its own speed, and drags nothing along', () => {
  const without = sing('tenor', { seed: 811, skip: ['4.3'] }, 812);
  const found = align(double, without);
  const word = double.truth.words.find(w => w.word === 'oh')!;
  const inside = found.apart.find(s => s.start < word.end && s.end > word.start);
  expect(inside).toBeDefined();
  const map = TimeMap.through(found.map);
  expect(map.forward(inside!.end) - map.forward(inside!.start)).toBeCloseTo(inside!.end - inside!.start, 2);
  expect(quantile(errors(map, double, without), 0.8)).toBeLessThan(25);
});

test('begun with the memory of another pair it finds the same, with ties and without', () => {
  const seconds = Math.max(lead.samples.length, double.samples.length) / SAMPLE_RATE;
  const [a, b] = [double, lead].map(v => alignFeatures(v.samples, SAMPLE_RATE, seconds));
  const other = new Aligner(b, b);
  other.align();
  const after = new Aligner(a, b, other.memory);
  const alone = new Aligner(a, b);
  expect(after.align()).toEqual(alone.align());
  const ties = [{ follower: 6, lead: 6.08 }];
  expect(after.align({ ties })).toEqual(alone.align({ ties }));
  expect(after.align()).toEqual(alone.align());
});

test('a tie is followed, and its neighbourhood with it; everything far from it stays', () => {
  const seconds = Math.max(lead.samples.length, double.samples.length) / SAMPLE_RATE;
  const aligner = new Aligner(
    alignFeatures(double.samples, SAMPLE_RATE, seconds),
    alignFeatures(lead.samples, SAMPLE_RATE, seconds),
  );
  const before = TimeMap.through(aligner.align().map);
  const word = double.truth.words.find(w => w.word === 'lamp')!;
  const lead_ = before.forward(word.start) + 0.12;
  const after = TimeMap.through(aligner.align({ ties: [{ follower: word.start, lead: lead_ }] }).map);
  expect(after.forward(word.start)).toBeCloseTo(lead_, 6);
  expect(after.forward(word.start + 0.03) - before.forward(word.start + 0.03)).toBeGreaterThan(0.05);
  for (const w of double.truth.words.filter(o => Math.abs(o.start - word.start) > 3))
    expect(Math.abs(after.forward(w.start) - before.forward(w.start))).toBeLessThan(0.01);
});

test('a silent track is refused, and a stop is heard', () => {
  const nothing = new Float32Array(lead.samples.length);
  expect(() => alignPair(lead.samples, nothing, SAMPLE_RATE)).toThrow(NothingToAlign);
  expect(() => alignPair(nothing, lead.samples, SAMPLE_RATE)).toThrow('lead');
  expect(() => alignPair(lead.samples, double.samples, SAMPLE_RATE, { onProgress: s => s < 0.5 })).toThrow('stopped');
});

describe('how a follower goes along', () => {
  const found = align(double);
  const length = double.samples.length / SAMPLE_RATE;
  const rule = { closeness: 100, bending: 1.6, exact: [], asSung: [] };
  const words = double.truth.words;

  test('closeness takes its share of each offset away; at 0 nothing moves', () => {
    const full = TimeMap.through(found.map);
    const at = (closeness: number) => followedMap(found, { ...rule, closeness }, length);
    expect(at(0)).toBe(TimeMap.identity);
    for (const w of words) {
      const offset = full.forward(w.start) - w.start;
      expect(at(100).forward(w.start) - w.start).toBeCloseTo(offset, 2);
      expect(at(50).forward(w.start) - w.start).toBeCloseTo(offset / 2, 2);
    }
  });

  test('what is asked exactly is met whatever the closeness', () => {
    const { start } = words[5];
    const map = followedMap(found, { ...rule, closeness: 30, exact: [{ from: start, to: start + 0.07 }] }, length);
    expect(map.forward(start)).toBeCloseTo(start + 0.07, 9);
  });

  test('a tie that is not locked is met as far as closeness says, though its word lies far from where it was found', () => {
    const { start } = words[5];
    const tie = { from: start, to: TimeMap.through(found.map).forward(start) + 0.2 };
    const ties = [{ follower: tie.from, lead: tie.to }];
    const tied = alignPair(lead.samples, double.samples, SAMPLE_RATE, { ties });
    for (const closeness of [100, 50]) {
      const map = followedMap(tied, { ...rule, closeness, ties: [tie] }, length);
      const wanted = start + (closeness / 100) * (tie.to - tie.from);
      expect(Math.abs(map.forward(start) - wanted)).toBeLessThan(0.02);
    }
  });

  test('a stretch left as sung stays where it was, bit for bit in time', () => {
    const w = words[6];
    const map = followedMap(found, { ...rule, asSung: [{ start: w.start, end: w.end }] }, length);
    for (let t = w.start; t <= w.end; t += 0.02) expect(map.forward(t)).toBeCloseTo(t, 3);
  });

  test('no sound is bent further than allowed', () => {
    const map = followedMap(found, { ...rule, bending: 1.2 }, length);
    const { f0, hop } = double.truth;
    let beyond = 0;
    let sung = 0;
    for (let k = 0; k + 1 < f0.length; k++) {
      if (!f0[k]) continue;
      sung++;
      const speed = (map.forward((k + 1) * hop) - map.forward(k * hop)) / hop;
      if (speed > 1.25 || speed < 1 / 1.25) beyond++;
    }
    expect(beyond / sung).toBeLessThan(0.01);
  });

  test('offsets tell how late each syllable was, and is', () => {
    const syllables = double.truth.notes.map(n => ({ start: n.voiceStart, end: n.end, onset: n.start }));
    const offsets = offsetsOf(syllables, found, followedMap(found, rule, length));
    const now = offsets.map(o => Math.abs(o.now!));
    const was = offsets.map(o => Math.abs(o.sung!));
    expect(quantile(now, 0.9)).toBeLessThan(0.01);
    expect(quantile(was, 0.5)).toBeGreaterThan(0.01);
  });
});
