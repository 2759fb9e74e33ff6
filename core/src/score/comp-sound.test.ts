import { composeClips, type Clip } from '../song/comp';
import { compSound } from './comp-sound';

const RATE = 1000;
const wave = (step: number) => Float32Array.from({ length: 10_000 }, (_, i) => Math.sin(step * i));
const sources = new Map([
  ['one', [wave(0.01)]],
  ['two', [wave(0.02), wave(0.03)]],
]);
const clip = (takeId: string, from: number, to: number, more: Partial<Clip> = {}): Clip => ({
  takeId,
  from,
  to,
  shift: 0,
  fadeIn: 0,
  fadeOut: 0,
  levelDb: 0,
  ...more,
});

it.each([
  ['one whole take', [clip('one', 0, Infinity)]],
  ['a take that begins later', [clip('one', 0, Infinity, { shift: 1.5 })]],
  [
    'takes joined by a fade',
    [clip('one', 0, 4, { fadeOut: 0.2 }), clip('two', 4, Infinity, { fadeIn: 0.2, levelDb: -3 })],
  ],
])('%s sounds in stretches as it does in one piece', (_, clips) => {
  const length = 12_000;
  const channels = composeClips(clips, sources, RATE, length);
  const all = channels[0].map((v, i) => (channels.length > 1 ? (v + channels[1][i]) / 2 : v));
  const sound = compSound(clips, sources, RATE, length);
  expect(sound.length).toBe(length);
  for (const [from, to] of [
    [0, length],
    [-100, 200],
    [3890, 4111],
    [11_500, 12_700],
    [12_100, 12_200],
    [-30, -10],
  ]) {
    const wanted = Float32Array.from({ length: to - from }, (__, i) => all[from + i] ?? 0);
    expect(sound.stretch(from, to)).toEqual(wanted);
  }
});
