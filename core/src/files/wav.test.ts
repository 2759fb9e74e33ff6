import fc from 'fast-check';
import { AudioFileError, overwriteWav, readWav, writeWav, type SampleFormat } from './wav';

const STEPS: Record<SampleFormat, number> = {
  int8: 128,
  int16: 32768,
  int24: 8388608,
  int32: 2147483648,
  float32: 0,
  float64: 0,
};
const formats = Object.keys(STEPS) as SampleFormat[];
const audio = fc.record({
  format: fc.constantFrom(...formats),
  sampleRate: fc.constantFrom(8000, 44100, 48000, 88200, 96000, 192000),
  channels: fc.integer({ min: 1, max: 300 }).chain(n =>
    fc.array(fc.float32Array({ minLength: n, maxLength: n, min: -1, max: 1, noNaN: true }), {
      minLength: 1,
      maxLength: 3,
    }),
  ),
});

describe('WAV', () => {
  it('gives back what was written, to half a step of the format', () => {
    fc.assert(
      fc.property(audio, ({ format, sampleRate, channels }) => {
        const back = readWav(writeWav({ sampleRate, channels }, { format }));
        expect(back.sampleRate).toBe(sampleRate);
        expect(back.format).toBe(format);
        const step = STEPS[format] ? 1 / STEPS[format] : 0;
        channels.forEach((c, k) =>
          c.forEach((v, i) =>
            expect(Math.abs(back.channels[k][i] - v)).toBeLessThanOrEqual(
              v > 1 - 1.5 * step ? 1.5 * step : step / 2 + 1e-7,
            ),
          ),
        );
      }),
      { numRuns: 60 },
    );
  });

  it('goes round bit for bit once samples are on the grid of the format', () => {
    fc.assert(
      fc.property(audio, ({ format, sampleRate, channels }) => {
        const once = writeWav({ sampleRate, channels }, { format });
        if (format === 'int32') return; // finer than Float32 can hold
        expect(writeWav(readWav(once), { format })).toEqual(once);
      }),
      { numRuns: 40 },
    );
  });

  it('overwrites only what changed, also where the format is finer than a sample', () => {
    const fine = Float64Array.from({ length: 50 }, (_, i) => Math.sin(i) * 0.7);
    const bytes = writeWav({ sampleRate: 48000, channels: [new Float32Array(50)] }, { format: 'float64' });
    const view = new DataView(bytes.buffer);
    fine.forEach((v, i) => view.setFloat64(44 + 8 * i, v, true));
    const { channels } = readWav(bytes);
    channels[0][7] = 0.25;
    const out = new DataView(overwriteWav(bytes, channels).buffer);
    fine.forEach((v, i) => expect(out.getFloat64(44 + 8 * i, true)).toBe(i === 7 ? 0.25 : v));
  });

  it('reads extensible headers and unknown chunks', () => {
    const plain = writeWav({ sampleRate: 44100, channels: [Float32Array.of(0.5, -0.5)] }, { format: 'int24' });
    const bytes = new Uint8Array(12 + 8 + 6 + 8 + 40 + 8 + 6);
    bytes.set(plain.subarray(0, 12));
    const view = new DataView(bytes.buffer);
    const text = (at: number, s: string) => [...s].forEach((c, i) => view.setUint8(at + i, c.charCodeAt(0)));
    text(12, 'LIST');
    view.setUint32(16, 5, true); // odd: one byte of padding follows
    text(26, 'fmt ');
    view.setUint32(30, 40, true);
    bytes.set(plain.subarray(20, 36), 34);
    view.setUint16(34, 0xfffe, true);
    view.setUint16(34 + 24, 1, true);
    text(74, 'data');
    view.setUint32(78, 6, true);
    bytes.set(plain.subarray(44, 50), 82);
    expect(Array.from(readWav(bytes).channels[0])).toEqual([0.5, -0.5]);
  });

  it.each([
    ['nothing', new Uint8Array(0), /empty/],
    ['text', new TextEncoder().encode('this is a shopping list, not a recording'), /not a WAV/],
    [
      'a cut file',
      writeWav({ sampleRate: 48000, channels: [new Float32Array(1000)] }, { format: 'int16' }).subarray(0, 1044),
      /cut short: only 50 %/,
    ],
    [
      'a header alone',
      writeWav({ sampleRate: 48000, channels: [new Float32Array(0)] }, { format: 'int16' }),
      /no sound/,
    ],
    [
      'half a header',
      writeWav({ sampleRate: 48000, channels: [new Float32Array(10)] }, { format: 'int16' }).subarray(0, 30),
      /cut short/,
    ],
  ])('refuses %s with a clear reason', (_, bytes, reason) => {
    expect(() => readWav(bytes)).toThrow(AudioFileError);
    expect(() => readWav(bytes)).toThrow(reason);
  });

  it('never fails but with a reason, whatever the bytes', () => {
    const good = writeWav({ sampleRate: 48000, channels: [new Float32Array(40)] }, { format: 'int24' });
    fc.assert(
      fc.property(
        fc.array(fc.tuple(fc.nat(good.length - 1), fc.nat(255)), { maxLength: 6 }),
        fc.nat(good.length),
        (changes, length) => {
          const bytes = good.slice(0, length);
          for (const [at, value] of changes) if (at < length) bytes[at] = value;
          try {
            readWav(bytes);
          } catch (error) {
            expect(error).toBeInstanceOf(AudioFileError);
          }
        },
      ),
      { numRuns: 300 },
    );
  });

  it('lets no sample in or out that is no number', () => {
    const huge = writeWav({ sampleRate: 8000, channels: [Float32Array.of(0.5, 0.25)] }, { format: 'float64' });
    new DataView(huge.buffer).setFloat64(44, 1e300, true);
    expect(Array.from(readWav(huge).channels[0])).toEqual([0, 0.25]);
    const written = writeWav(
      { sampleRate: 8000, channels: [Float32Array.of(NaN, Infinity, 0.5)] },
      { format: 'float32' },
    );
    expect(Array.from(readWav(written).channels[0])).toEqual([0, 0, 0.5]);
    expect(new DataView(written.buffer).getFloat32(44, true)).toBe(0);
  });
});
