import { COLOUR_EVERY, colourFrames, heldBands, louderBy, meanColour } from './colour';
import { kWeight } from './loudness';

const RATE = 48000;
const HOP = 0.005;
const BANDS = Float32Array.from({ length: 16 }, (_, i) => 200 * 50 ** (i / 15));
/** A voice with two formants and a fall of so many dB an octave. */
const envelope = (hz: number, tilt: number) =>
  10 ** ((-tilt * Math.log2(hz / 200)) / 20) *
  (1 + 5 * Math.exp(-(((hz - 700) / 200) ** 2)) + 3 * Math.exp(-(((hz - 2600) / 400) ** 2)));
const voice = (f0: number, tilt = 6) => {
  const x = new Float32Array(RATE);
  for (let h = 1; h * f0 < 14000; h++) {
    const level = 0.05 * envelope(h * f0, tilt);
    const phase = (h * h * 0.7) % (2 * Math.PI);
    for (let i = 0; i < x.length; i++) x[i] += level * Math.sin((2 * Math.PI * h * f0 * i) / RATE + phase);
  }
  return x;
};
const colourOf = (x: Float32Array, f0: number) => {
  const frames = colourFrames(x, RATE, new Float32Array(200).fill(f0), HOP, BANDS);
  return meanColour(frames.envelope, BANDS.length, 20, 180)!;
};
const far = (a: Float32Array, b: Float32Array, from = 0) =>
  Math.sqrt(a.slice(from).reduce((s, v, i) => s + (v - b[from + i]) ** 2, 0) / (a.length - from));

test('a voice keeps its colour whatever its pitch, and loses it with its tract', () => {
  const low = colourOf(voice(130), 130);
  const high = colourOf(voice(311), 311);
  const bright = colourOf(voice(130, 2), 130);
  // from the first band that holds a harmonic of both on
  expect(far(low, high, 3)).toBeLessThan(3);
  expect(far(low, bright)).toBeGreaterThan(2 * far(low, high, 3));
  // 700 Hz stands out
  expect(low.indexOf(Math.max(...low))).toBeLessThan(7);
  expect(bright[15] - bright[0]).toBeGreaterThan(low[15] - low[0] + 12);
});

test('it does not depend on how loud it is', () => {
  const loud = voice(200);
  const soft = loud.map(v => v / 20);
  expect(far(colourOf(loud, 200), colourOf(soft, 200))).toBeLessThan(0.05);
});

test('nothing is told where nothing is sung', () => {
  const f0 = new Float32Array(200).fill(200, 0, 100);
  const { envelope, power } = colourFrames(voice(200), RATE, f0, HOP, BANDS);
  expect(envelope).toHaveLength((200 / COLOUR_EVERY) * BANDS.length);
  expect(power).toHaveLength((200 / COLOUR_EVERY) * heldBands(BANDS.length));
  expect(Number.isNaN(envelope[envelope.length - 1])).toBe(true);
  expect(power[power.length - 1]).toBe(0);
  expect(meanColour(envelope, BANDS.length, 110, 190)).toBeNull();
  expect(meanColour(envelope, BANDS.length, 60, 190)).not.toBeNull();
});

test('how much louder gains in bands make a voice is what is heard of it', () => {
  const f0 = 170;
  const frames = Array.from({ length: 160 }, (_, k) => k + 20);
  const { power } = colourFrames(voice(f0), RATE, new Float32Array(200).fill(f0), HOP, BANDS);
  const gains = Array.from(BANDS, (_, b) => 8 * Math.sin(b));
  const at = (hz: number) => {
    const place = Math.min(15, Math.max(0, (15 * Math.log(hz / 200)) / Math.log(50)));
    const b = Math.min(14, Math.floor(place));
    return gains[b] + (gains[b + 1] - gains[b]) * (place - b);
  };
  const loud = (filtered: boolean) => {
    let sum = 0;
    for (let h = 1; h * f0 < 14000; h++)
      sum += envelope(h * f0, 6) ** 2 * 10 ** ((kWeight(h * f0) + (filtered ? at(h * f0) : 0)) / 10);
    return 10 * Math.log10(sum);
  };
  expect(Math.abs(louderBy(power, frames, gains) - (loud(true) - loud(false)))).toBeLessThan(0.3);
  expect(louderBy(power, frames, new Array(16).fill(-4))).toBeCloseTo(-4, 6);
  expect(louderBy(power, [], gains)).toBe(0);
});
