import { HOP } from './reading';
import type { Bands } from './spectra';
import { dropTails } from './tails';

/** Notes of 300 ms with as much between them, in which a room dies away. */
function sung(room: { drop: number; decay: number } | null, levels: readonly number[]) {
  const [held, rest] = [60, 60];
  const frames = levels.length * (held + rest);
  const count = 10;
  const bands: Bands = {
    count,
    edgesHz: [150, 300, 450, 600, 800, 1000, 1250, 1500, 1800, 2150, 2500],
    power: new Float32Array(frames * count),
  };
  const levelDb = new Float32Array(frames);
  const keep = room ? 10 ** ((-room.decay * HOP) / 10) : 0;
  const share = room ? 10 ** (-room.drop / 10) : 0;
  let tail = 0;
  for (let k = 0; k < frames; k++) {
    const note = Math.floor(k / (held + rest));
    const voice = k % (held + rest) < held ? 10 ** (levels[note] / 10) : 1e-9;
    const power = voice + tail;
    tail = keep * tail + (1 - keep) * (share / (1 - share)) * voice;
    levelDb[k] = 10 * Math.log10(power);
    // a little louder and softer, as a tail is from frame to frame
    for (let q = 0; q < count; q++) bands.power[k * count + q] = (power / count) * (1 + 0.3 * Math.sin(k * (q + 1)));
  }
  const f0 = Float32Array.from({ length: frames }, () => 220);
  return { f0, bands, levelDb, held, rest };
}

const voicedShare = (f0: Float32Array, from: number, to: number) =>
  f0.subarray(from, to).filter(f => f > 0).length / (to - from);

describe('tails of a room', () => {
  const loud = Array.from({ length: 12 }, () => -10);

  it.each([
    { drop: 5, decay: 120 },
    { drop: 8, decay: 43 },
  ])('are unvoiced between notes, and the notes are not ($drop dB under, $decay dB/s)', room => {
    const { f0, bands, levelDb, held, rest } = sung(room, loud);
    dropTails(f0, bands, levelDb);
    for (let n = 1; n < loud.length; n++) {
      const from = n * (held + rest);
      expect(voicedShare(f0, from, from + held)).toBe(1);
      expect(voicedShare(f0, from + held + (room.decay > 100 ? 12 : 40), from + held + rest - 6)).toBe(0);
    }
  });

  it('are not those of a softer note, nor of a voice that only softens', () => {
    const levels = loud.map((v, i) => (i % 2 ? v - 10 : v));
    const { f0, bands, levelDb, held, rest } = sung({ drop: 8, decay: 43 }, levels);
    dropTails(f0, bands, levelDb);
    for (let n = 1; n < levels.length; n += 2) {
      const from = n * (held + rest);
      expect(voicedShare(f0, from + 8, from + held)).toBeGreaterThan(0.95);
    }
  });

  it('without a room only what lies far under the voice goes, a closure that rings say', () => {
    const { f0, bands, levelDb, held, rest } = sung(null, loud);
    // the closures ring 12 dB under the voice, but for one at 30
    for (let n = 0; n < loud.length; n++)
      for (let k = n * (held + rest) + held; k < (n + 1) * (held + rest); k++) {
        levelDb[k] = (n === 5 ? -40 : -22) - ((k % (held + rest)) - held) / 4;
        for (let q = 0; q < bands.count; q++) bands.power[k * bands.count + q] = 10 ** (levelDb[k] / 10) / bands.count;
      }
    dropTails(f0, bands, levelDb);
    for (let n = 0; n < loud.length; n++) {
      const from = n * (held + rest) + held;
      expect(voicedShare(f0, from + 10, from + 24)).toBe(n === 5 ? 0 : 1);
    }
  });
});
