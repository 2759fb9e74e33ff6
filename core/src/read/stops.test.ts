import type { Bands } from './spectra';
import { stopBursts } from './stops';

/** Spectra made by hand: levels of the lowest formant, of what lies over it and of what is bright, dB, a frame each. */

const EDGES = [150, 600, 2000, 13000];
type Frame = [low: number, over: number, bright: number];
const SILENT: Frame = [-70, -75, -75];
const VOWEL: Frame = [-15, -22, -38];

function made(...parts: [count: number, frame: Frame, pitch?: number][]): { f0: Float32Array; bands: Bands } {
  const frames = parts.flatMap(([count, frame, pitch = 0]) => Array.from({ length: count }, () => ({ frame, pitch })));
  const power = Float32Array.from(frames.flatMap(({ frame }) => frame.map(db => 10 ** (db / 10))));
  return { f0: Float32Array.from(frames, f => f.pitch), bands: { count: 3, edgesHz: EDGES, power } };
}
const bursts = (...parts: Parameters<typeof made>) => {
  const { f0, bands } = made(...parts);
  return stopBursts(f0, bands).map(b => [Math.round(b.start / 0.0025) / 2, Math.round(b.end / 0.0025) / 2]);
};

describe('bursts of p, t and k', () => {
  it('are found between a closure and the voice, to where the voice begins', () => {
    expect(
      bursts([40, VOWEL, 200], [12, SILENT], [2, [-34, -27, -26]], [4, [-45, -40, -40]], [40, VOWEL, 210]),
    ).toEqual([[51.5, 57.5]]);
  });

  it('are found where the voice is heard in the closure, and goes on from the burst at once', () => {
    expect(bursts([40, VOWEL, 200], [12, [-38, -65, -70], 195], [1, [-36, -34, -30], 195], [40, VOWEL, 195])).toEqual([
      [51.5, 54.5],
    ]);
  });

  it('are found after a rest', () => {
    expect(bursts([80, SILENT], [2, [-38, -30, -28]], [3, [-50, -42, -44]], [40, VOWEL, 200])).toHaveLength(1);
  });

  it.each<[string, Parameters<typeof made>]>([
    [
      'a vowel that is set in hard',
      [
        [60, SILENT],
        [60, VOWEL, 200],
      ],
    ],
    [
      'a fricative that grows',
      [
        [60, SILENT],
        [5, [-60, -45, -40]],
        [12, [-60, -38, -28]],
        [40, VOWEL, 200],
      ],
    ],
    [
      'a faint breath',
      [
        [60, SILENT],
        [4, [-60, -50, -48]],
        [40, VOWEL, 200],
      ],
    ],
    [
      'a click in a rest',
      [
        [60, SILENT],
        [1, [-34, -27, -26]],
        [12, SILENT],
        [40, VOWEL, 200],
      ],
    ],
    [
      'a burst that no voice follows',
      [
        [60, VOWEL, 200],
        [12, SILENT],
        [3, [-34, -27, -26]],
        [60, SILENT],
      ],
    ],
    [
      'an l between vowels',
      [
        [60, VOWEL, 200],
        [14, [-17, -34, -50], 200],
        [60, VOWEL, 200],
      ],
    ],
    [
      'the end of a take',
      [
        [20, VOWEL, 200],
        [12, SILENT],
        [2, [-34, -27, -26]],
        [10, VOWEL, 200],
      ],
    ],
  ])('are not heard in %s', (_, parts) => {
    expect(bursts(...parts)).toEqual([]);
  });
});
