import { panGains, readWav, unpackFlac, type Clip } from '@essim/core';
import { unzipSync } from 'fflate';
import { DeliverJob, type Delivered, type Delivery, type DeliveryFormat, type DeliveryJob } from './deliver';

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
const asked = (fields: Partial<DeliveryJob> = {}): DeliveryJob => ({
  sampleRate: RATE,
  length: LENGTH,
  from: 0,
  to: LENGTH,
  format: 'float32',
  container: 'wav',
  dither: false,
  as: 'mix',
  stamped: false,
  ...fields,
});
const job = (format: DeliveryFormat, stems = false, dither = false) =>
  new DeliverJob(asked({ format, dither, as: stems ? 'stems' : 'mix' }));
const bytesOf = async (made: Promise<Delivery>) => new Uint8Array(await (await made).bytes!.arrayBuffer());
const wavOf = async (made: Promise<Delivery>) => readWav(await bytesOf(made));

describe('one track', () => {
  test('is as long as the song, silent where it does not sing, and bit for bit where it does', async () => {
    const x = tone(2000, 440);
    const made = job('int16').single(track('ash', [x], { clips: [clip('ash', 0.1)] }));
    const { channels, format, sampleRate } = await wavOf(made);
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
    expect((await made).files[0].peakDb).toBeCloseTo(20 * Math.log10(0.3), 1);
  });

  test('with dither, samples nobody touched stay bit for bit; others are off by a step or two at most', async () => {
    const x = tone(LENGTH, 300);
    const kept = await wavOf(job('int16', false, true).single(track('a', [x])));
    expect([...kept.channels[0]]).toEqual([...x]);
    const touched = x.map(v => v * 0.7123);
    const { channels } = await wavOf(job('int16', false, true).single(track('a', [touched])));
    let most = 0;
    touched.forEach((v, i) => (most = Math.max(most, Math.abs(v - channels[0][i]))));
    expect(most).toBeGreaterThan(0);
    expect(most).toBeLessThan(2.1 / 32768);
  });

  test('placed off the middle it has two channels, of the gains that were asked', async () => {
    const gains = panGains(-6, 0.5);
    const x = tone(LENGTH, 200);
    const { channels } = await wavOf(job('float32').single(track('a', [x], { gains })));
    expect(channels).toHaveLength(2);
    for (const i of [13, 700, 3001]) channels.forEach((y, c) => expect(y[i]).toBeCloseTo(x[i] * gains[c], 6));
  });

  test('over full scale it is told, and 32-bit float keeps it', async () => {
    const loud = tone(LENGTH, 200, 0.9).map(v => v * 2);
    const whole = job('int24').single(track('a', [loud]));
    expect((await whole).files[0].peakDb).toBeGreaterThan(5);
    const float = await wavOf(job('float32').single(track('a', [loud])));
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
    for (const p of parts()) await zip.add(p);
    for (const p of parts()) await mix.add(p);
    const files = unzipSync(await bytesOf(zip.finish('mix.wav')));
    expect(Object.keys(files)).toEqual(['Lead.wav', 'Double.wav', 'Backing.wav']);
    const stems = Object.values(files).map(f => readWav(f).channels);
    expect(stems.map(s => s[0].length)).toEqual([LENGTH, LENGTH, LENGTH]);
    const sum = (await wavOf(mix.finish('mix.wav'))).channels;
    expect(sum).toHaveLength(2);
    sum.forEach((y, c) => {
      for (let i = 0; i < LENGTH; i += 7)
        expect(stems.reduce((s, x) => s + x[Math.min(c, x.length - 1)][i], 0)).toBeCloseTo(y[i], 5);
    });
  });

  test('a mix of nothing is silence of the song’s length', async () => {
    const { channels } = await wavOf(job('int24').finish('mix.wav'));
    expect(channels.map(c => c.length)).toEqual([LENGTH, LENGTH]);
    expect(channels.every(c => c.every(v => v === 0))).toBe(true);
  });
});

test('mixes to practise with have each voice in front of the same others', async () => {
  const [a, b] = [tone(2000, 300, 0.1), tone(3000, 500, 0.1)];
  const made = new DeliverJob(asked({ as: 'practice' }));
  const [one, two] = [track('one', [a], { gains: [0.5, 0.5] }), track('two', [b], { gains: [0.25, 0.25] })];
  await made.add(one);
  await made.add(two);
  await made.inFront({ ...one, file: 'one in front.wav' }, [1, 1]);
  await made.inFront({ ...two, file: 'two in front.wav' }, [1, 0]);
  const files = unzipSync(await bytesOf(made.finish('mix.wav')));
  expect(Object.keys(files)).toEqual(['one in front.wav', 'two in front.wav']);
  const [first, second] = Object.values(files).map(f => readWav(f).channels);
  for (const i of [10, 500, 1999, 2500]) {
    expect(first[0][i]).toBeCloseTo((a[i] ?? 0) + 0.25 * (b[i] ?? 0), 5);
    expect(second[0][i]).toBeCloseTo(0.5 * (a[i] ?? 0) + (b[i] ?? 0), 5);
    expect(second[1][i]).toBeCloseTo(0.5 * (a[i] ?? 0), 5);
  }
  expect(first[0]).toHaveLength(LENGTH);
});

describe('how it is asked for', () => {
  const x = tone(LENGTH, 440);

  test('a range of the song, with where it begins stamped into the file', async () => {
    const { channels, timeReference } = await wavOf(
      new DeliverJob(asked({ from: 1000, to: 3000, stamped: true })).single(track('a', [x])),
    );
    expect(timeReference).toBe(1000);
    expect(same(channels[0], x.subarray(1000, 3000))).toBe(true);
    expect((await wavOf(job('int16').single(track('a', [x])))).timeReference).toBeUndefined();
  });

  test('as FLAC it holds the very samples the WAV would', async () => {
    const flac = await bytesOf(new DeliverJob(asked({ format: 'int16', container: 'flac' })).single(track('a', [x])));
    const { channels, bits } = await unpackFlac(flac, 1e6);
    expect(bits).toBe(16);
    expect(same(channels[0], x)).toBe(true);
  });

  test('only measured, nothing is written; loudness and true peak are told of every file', async () => {
    const measuring = new DeliverJob(asked({ as: 'measures' }));
    await measuring.add(track('a', [x], { inMix: [0.5, 0.5] }));
    await measuring.add(track('b', [x.map(v => v / 2)], { inMix: [0.5, 0.5] }));
    const { bytes, files } = await measuring.finish('mix.wav');
    expect(bytes).toBeNull();
    expect(files.map(f => f.name)).toEqual(['a.wav', 'b.wav', 'mix.wav']);
    expect(files[2].integratedLufs - files[0].integratedLufs).toBeCloseTo(20 * Math.log10(0.75) + 3.01, 1);
    expect(files[0].integratedLufs - files[1].integratedLufs).toBeCloseTo(6.02, 1);
    expect(files[0].truePeakDb).toBeCloseTo(20 * Math.log10(0.3), 0);
    expect(files[0].truePeakDb).toBeGreaterThanOrEqual(files[0].peakDb - 0.01);
  });
});
