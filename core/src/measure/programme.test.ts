import { programmeOf, TruePeak } from './programme';

const sine = (hz: number, seconds: number, level: number, rate = 48000, phase = 0) =>
  Float32Array.from({ length: seconds * rate }, (_, i) => level * Math.sin((2 * Math.PI * hz * i) / rate + phase));
const dB = (v: number) => 10 ** (v / 20);

describe('loudness of a programme (EBU Tech 3341)', () => {
  it.each([44100, 48000, 96000])('is -23 LUFS for a stereo tone of 1 kHz at -23 dBFS, at %d Hz', rate => {
    const x = sine(1000, 8, dB(-23), rate);
    const { integratedLufs, shortTermLufs } = programmeOf([x, x], rate);
    expect(integratedLufs).toBeCloseTo(-23, 1);
    expect(shortTermLufs).toBeCloseTo(-23, 1);
  });

  it('leaves out what is far quieter: case 3, tones of 10, 60 and 10 s', () => {
    const x = new Float32Array(80 * 48000);
    [
      [0, 10, -36],
      [10, 60, -23],
      [70, 10, -36],
    ].forEach(([at, seconds, level]) => x.set(sine(1000, seconds, dB(level)), at * 48000));
    expect(programmeOf([x, x], 48000).integratedLufs).toBeCloseTo(-23, 1);
  });

  it('has the loudest three seconds, and silence is none', () => {
    const x = new Float32Array(20 * 48000);
    x.set(sine(1000, 3, dB(-20)), 8 * 48000);
    expect(programmeOf([x, x], 48000).shortTermLufs).toBeCloseTo(-20, 1);
    expect(programmeOf([new Float32Array(48000)], 48000)).toEqual({
      integratedLufs: -Infinity,
      shortTermLufs: -Infinity,
      truePeakDb: -Infinity,
    });
    expect(programmeOf([new Float32Array(0)], 48000).integratedLufs).toBe(-Infinity);
  });

  it('counts one channel once: 3 dB under the same in two', () => {
    const x = sine(1000, 5, dB(-20));
    const [one, two] = [programmeOf([x], 48000), programmeOf([x, x], 48000)];
    expect(two.integratedLufs - one.integratedLufs).toBeCloseTo(3.01, 2);
  });
});

describe('true peak', () => {
  it('finds what lies between samples: a quarter of the rate, 45 degrees off', () => {
    // every sample is 3 dB under the wave's top
    const x = sine(12000, 0.5, dB(-6), 48000, Math.PI / 4);
    const highest = 20 * Math.log10(x.reduce((m, v) => Math.max(m, Math.abs(v)), 0));
    expect(highest).toBeCloseTo(-9, 1);
    const { truePeakDb } = programmeOf([x], 48000);
    expect(Math.abs(truePeakDb + 6)).toBeLessThan(0.3);
  });

  it('is the same in pieces as in one', () => {
    const x = sine(9973, 0.2, 0.7, 48000, 0.3);
    const [whole, pieces] = [new TruePeak(48000), new TruePeak(48000)];
    whole.take(x);
    for (let i = 0; i < x.length; i += 128) pieces.take(x.subarray(i, i + 128));
    expect(pieces.peak).toBe(whole.peak);
  });
});
