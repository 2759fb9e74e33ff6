import { seededRandom } from '../signal/random';
import { addToMix, panGains, placedInMix, soundsInMix, stemNames } from './mix';
import { take, track } from './testing';

const noise = (seed: number) => {
  const random = seededRandom(seed);
  return Float32Array.from({ length: 1000 }, () => random.normal() * 0.1);
};

test('in the middle at 0 dB a track is what it was, bit for bit', () => {
  expect(panGains(0, 0)).toEqual([1, 1]);
  const x = noise(1);
  expect(placedInMix([x], [1, 1])[0]).toBe(x);
});

test('panning keeps the power', () => {
  for (const pan of [-1, -0.4, 0.2, 1]) {
    const [l, r] = panGains(-6, pan);
    expect(l * l + r * r).toBeCloseTo(2 * 10 ** (-6 / 10), 9);
  }
  expect(panGains(0, -1)[1]).toBeCloseTo(0);
});

test('stems as mixed, added up, are the mix', () => {
  const tracks = [
    { channels: [noise(1)], gains: panGains(-3, 0) },
    { channels: [noise(2)], gains: panGains(0, 0.5) },
    { channels: [noise(3), noise(4)], gains: panGains(2, -0.2) },
  ];
  const mix = [new Float32Array(1000), new Float32Array(1000)];
  const sum = [new Float32Array(1000), new Float32Array(1000)];
  for (const t of tracks) {
    const stem = placedInMix(t.channels, t.gains);
    addToMix(mix, stem);
    sum.forEach((y, c) => stem[Math.min(c, stem.length - 1)].forEach((v, i) => (y[i] += v)));
  }
  mix.forEach((y, c) => expect(y).toEqual(sum[c]));
});

test('two microphones of one singer are heard together in the middle', () => {
  const [a, b] = [noise(5), noise(6)];
  const [x] = placedInMix([a, b], [1, 1], true);
  expect(x[10]).toBeCloseTo((a[10] + b[10]) / 2, 6);
});

test('stems have names of their own, and muted tracks are left out', () => {
  expect(stemNames([{ name: 'Lead' }, { name: 'lead' }, { name: 'a/b:c' }, { name: '//' }], 'wav')).toEqual([
    'Lead.wav',
    'lead 2.wav',
    'abc.wav',
    'Track.wav',
  ]);
  const all = [track('a', [take('x')]), track('b', [take('y')], { mute: true }), track('c', [])];
  expect(all.filter(t => soundsInMix(t, all)).map(t => t.id)).toEqual(['a']);
  const soloed = [...all, track('d', [take('z')], { solo: true })];
  expect(soloed.filter(t => soundsInMix(t, soloed)).map(t => t.id)).toEqual(['d']);
});
