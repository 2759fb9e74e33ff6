import { pulseLength } from './fine';
import { roomOf } from './pulse-room';

const rate = 48000;
/** A voice that never changes: harmonics 1 / k, and one of another formant. */
const levels = [(k: number) => 1 / k, (k: number) => Math.exp(-((k - 6) ** 2) / 18) + 0.05];
const sung = (period: number, level: (k: number) => number) =>
  Float32Array.from({ length: 4000 }, (_, i) => {
    let sum = 0;
    for (let k = 1; k / period < 0.2; k++)
      sum += level(k) * Math.cos((2 * Math.PI * k * (i - 2000)) / period + 0.4 * Math.sin(k));
    return sum;
  });

/** Amplitude a pulse has at a frequency, cycles a sample, when it comes back every period. */
function amplitude(out: Float32Array, frequency: number, period: number): number {
  let [re, im] = [0, 0];
  out.forEach((v, i) => {
    re += v * Math.cos(2 * Math.PI * frequency * i);
    im += v * Math.sin(2 * Math.PI * frequency * i);
  });
  return (2 * Math.hypot(re, im)) / period;
}

/** Two pulses made together, of periods and formants of their own. */
function made(periods: readonly [number, number], formants: readonly [number, number]) {
  const room = roomOf(Math.max(...periods), pulseLength(Math.max(...periods) * Math.max(1, 1 / Math.min(...formants))));
  const parts = [0, 1] as const;
  for (const part of parts) room.read(sung(periods[part], levels[part]), 2000, periods[part], part);
  room.part(...periods);
  for (const part of parts) room.shape(part, periods[part], 1, formants[part], rate);
  room.transform();
  return {
    room,
    outs: parts.map(part => {
      const out = new Float32Array(room.length);
      room.take(part, out);
      return out;
    }),
  };
}

describe('pulses made two at a time', () => {
  it.each([
    [201.3, 188.7],
    [74.2, 71],
    [610.5, 640],
  ])('have the harmonics of their own periods, %d and %d samples', (first, second) => {
    const periods = [first, second] as const;
    const { room, outs } = made(periods, [1, 1]);
    for (const part of [0, 1] as const) {
      const period = periods[part];
      for (let k = 2; k < Math.min(20, 0.18 * period); k++)
        expect(Math.abs(20 * Math.log10(amplitude(outs[part], k / period, period) / levels[part](k)))).toBeLessThan(
          0.8,
        );
      // at the same pitch as much comes out as went in
      expect(10 * Math.log10(room.powerOut(part, period, 1) / room.powerIn(part, 0.25 * period))).toBeCloseTo(0, 0);
    }
  });

  it('carry their formants to where they are asked, each by its own ratio', () => {
    const [ratio, other] = [1.3, 0.8];
    const { outs } = made([200, 210], [ratio, other]);
    for (let k = 3; k < 16; k++) {
      expect(Math.abs(20 * Math.log10(amplitude(outs[0], (k * ratio) / 200, 200) / levels[0](k)))).toBeLessThan(0.8);
      expect(Math.abs(20 * Math.log10(amplitude(outs[1], (k * other) / 210, 210) / levels[1](k)))).toBeLessThan(0.8);
    }
  });

  it('are one and silence where there is no second', () => {
    const { room } = made([200, 210], [1, 1]);
    room.silence(1);
    room.transform();
    const out = new Float32Array(room.length);
    expect(room.take(1, out)).toBeLessThan(1e-6);
    expect(room.take(0, out)).toBeGreaterThan(0.1);
  });
});
