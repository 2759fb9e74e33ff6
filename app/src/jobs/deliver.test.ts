import { panGains, readWav, type Clip } from '@essim/core';
import { unzipSync } from 'fflate';
import { DeliverJob, type Delivered, type DeliveryFormat } from './deliver';

const RATE = 8000;
const LENGTH = 4000;
/** A tone of so many samples, on the steps of 16 bits. */
const tone = (length: number, hz: number, level = 0.3) =>
  Float32Array.from(
    { length },
    (_, i) => (Math.round(level * 32768 * Math.sin((2 * Math.PI * hz * i) / RATE)) || 0) / 32768,
  );
const same = (a: Float32Array, b: Float32Array) => a.length === b.length && a.every((v, i) => v === b[i]);
const clip = (takeId: string, shift = 0, from = 0, to = Infinity): Clip => ({
  takeId,
  from,
  to,
  shift,
  fadeIn: 0,
  fadeOut: 0,
  levelDb: 0,
});
const track = (name: string, channels: Float32Array[], fields: Partial<Delivered> = {}): Delivered => ({
  file: `${name}.wav`,
  clips: [clip(name)],
  sources: [[name, channels]],
  gains: [1, 1],
  linked: false,
  ...fields,
});
const job = (format: DeliveryFormat, stems = false, dither = false) =>
  new DeliverJob(RATE, LENGTH, format, dither, stems ? 'stems' : 'mix');
const bytesOf = async (blob: Blob) => new Uint8Array(await blob.arrayBuffer());
const wavOf = async (blob: Blob) => readWav(await bytesOf(blob));

describe('one track', () => {
  test('is as long as the song, silent where it does not sing, and bit for bit where it does', async () => {
    const x = tone(2000, 440);
    const made = job('int16').single(track('ash', [x], { clips: [clip('ash', 0.1)] }));
    const { channels, format, sampleRate } = await wavOf(made.bytes);
    expect({ format, sampleRate, channels: channels.length }).toEqual({
      format: 'int16',
      sampleRate: RATE,
      channels: 1,
    });
    const [y] = channels;
    expect(y).toHaveLength(LENGTH);
    expect(y.subarray(0, 800).every(v => v === 0)).toBe(true);
    expect(same(y.subarray(800, 2800), x)).toBe(true);
    expect(y.subarray(2800).every(v => v === 0)).toBe(true);
    expect(made.peakDb).toBeCloseTo(20 * Math.log10(0.3), 1);
  });

  test('with dither, samples nobody touched stay bit for bit; others are off by a step or two at most', async () => {
    const x = tone(LENGTH, 300);
    const kept = await wavOf(job('int16', false, true).single(track('a', [x])).bytes);
    expect([...kept.channels[0]]).toEqual([...x]);
    const touched = x.map(v => v * 0.7123);
    const { channels } = await wavOf(job('int16', false, true).single(track('a', [touched])).bytes);
    let most = 0;
    touched.forEach((v, i) => (most = Math.max(most, Math.abs(v - channels[0][i]))));
    expect(most).toBeGreaterThan(0);
    expect(most).toBeLessThan(2.1 / 32768);
  });

  test('placed off the middle it has two channels, of the gains that were asked', async () => {
    const gains = panGains(-6, 0.5);
    const x = tone(LENGTH, 200);
    const { channels } = await wavOf(job('float32').single(track('a', [x], { gains })).bytes);
    expect(channels).toHaveLength(2);
    for (const i of [13, 700, 3001]) channels.forEach((y, c) => expect(y[i]).toBeCloseTo(x[i] * gains[c], 6));
  });

  test('over full scale it is told, and 32-bit float keeps it', async () => {
    const loud = tone(LENGTH, 200, 0.9).map(v => v * 2);
    const whole = job('int24').single(track('a', [loud]));
    expect(whole.peakDb).toBeGreaterThan(5);
    const float = await wavOf(job('float32').single(track('a', [loud])).bytes);
    expect([...float.channels[0]]).toEqual([...loud]);
  });
});

describe('stems and mix', () => {
  const parts = () => [
    track('Lead', [tone(LENGTH, 220)], { gains: panGains(-3, 0) }),
    track('Double', [tone(1500, 221)], { clips: [clip('Double', 0.2)], gains: panGains(-8, -0.6) }),
    track('Backing', [tone(LENGTH, 110, 0.2), tone(LENGTH, 111, 0.2)], { gains: panGains(0, 0.2) }),
  ];

  test('the stems are one file each, equally long, and add up to the mix', async () => {
    const zip = job('float32', true);
    const mix = job('float32');
    for (const p of parts()) zip.add(p);
    for (const p of parts()) mix.add(p);
    const files = unzipSync(await bytesOf(zip.finish().bytes));
    expect(Object.keys(files)).toEqual(['Lead.wav', 'Double.wav', 'Backing.wav']);
    const stems = Object.values(files).map(f => readWav(f).channels);
    expect(stems.map(s => s[0].length)).toEqual([LENGTH, LENGTH, LENGTH]);
    const sum = (await wavOf(mix.finish().bytes)).channels;
    expect(sum).toHaveLength(2);
    sum.forEach((y, c) => {
      for (let i = 0; i < LENGTH; i += 7)
        expect(stems.reduce((s, x) => s + x[Math.min(c, x.length - 1)][i], 0)).toBeCloseTo(y[i], 5);
    });
  });

  test('a mix of nothing is silence of the song’s length', async () => {
    const { channels } = await wavOf(job('int24').finish().bytes);
    expect(channels.map(c => c.length)).toEqual([LENGTH, LENGTH]);
    expect(channels.every(c => c.every(v => v === 0))).toBe(true);
  });
});

test('mixes to practise with have each voice in front of the same others', async () => {
  const [a, b] = [tone(2000, 300, 0.1), tone(3000, 500, 0.1)];
  const made = new DeliverJob(RATE, LENGTH, 'float32', false, 'practice');
  const [one, two] = [track('one', [a], { gains: [0.5, 0.5] }), track('two', [b], { gains: [0.25, 0.25] })];
  made.add(one);
  made.add(two);
  made.inFront({ ...one, file: 'one in front.wav' }, [1, 1]);
  made.inFront({ ...two, file: 'two in front.wav' }, [1, 0]);
  const files = unzipSync(await bytesOf(made.finish().bytes));
  expect(Object.keys(files)).toEqual(['one in front.wav', 'two in front.wav']);
  const [first, second] = Object.values(files).map(f => readWav(f).channels);
  for (const i of [10, 500, 1999, 2500]) {
    expect(first[0][i]).toBeCloseTo((a[i] ?? 0) + 0.25 * (b[i] ?? 0), 5);
    expect(second[0][i]).toBeCloseTo(0.5 * (a[i] ?? 0) + (b[i] ?? 0), 5);
    expect(second[1][i]).toBeCloseTo(0.5 * (a[i] ?? 0), 5);
  }
  expect(first[0]).toHaveLength(LENGTH);
});
