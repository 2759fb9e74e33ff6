import { runsOf } from './reading';

/** Frames to either side of a line's second difference, and over which its unrest is averaged. */
const LAG = 4;
const REACH = 8;
/** More unrest than this says nothing more, cents squared. */
const MOST_UNREST = 40000;
/** What either line is off by at best, cents squared. */
const SOURCE_FLOOR = 2;
const WAVE_FLOOR = 1;
/** How far a vowel on the move bends the wave's pitch, cents for a dB of change a band. */
const BEND = 0.5;
/** The change of colour that counts is the most within so many frames. */
const COLOUR_REACH = 3;

/**
 * One pitch line of two: the source's, which knows nothing of the vowel but trembles where little of the voice is left in it, and the
 * wave's, which is calm but bent by a vowel on the move. Each counts by the inverse of its variance. Whatever really moved the voice
 * moves both alike, so the line with the larger mean second difference is the noisier one, by that difference; the wave's bend
 * goes with the change of colour.
 * @param out gets Hz a frame @param source @param wave Hz a frame, voiced alike @param colour dB a band, see colourChange
 */
export function weighPitches(
  out: Float32Array,
  source: ArrayLike<number>,
  wave: ArrayLike<number>,
  colour: Float32Array,
): void {
  for (const [a, z] of runsOf(wave)) {
    const fromSource = centsOf(source, a, z);
    const fromWave = centsOf(wave, a, z);
    const sourceUnrest = unrestOf(fromSource);
    const waveUnrest = unrestOf(fromWave);
    for (let i = 0; i < z - a; i++) {
      // a second difference of noise has six times its variance
      const noisier = (sourceUnrest[i] - waveUnrest[i]) / 6;
      let change = 0;
      for (let k = Math.max(a, a + i - COLOUR_REACH); k <= Math.min(z - 1, a + i + COLOUR_REACH); k++)
        change = Math.max(change, colour[k]);
      const bySource = 1 / (SOURCE_FLOOR + Math.max(0, noisier));
      const byWave = 1 / (WAVE_FLOOR + Math.max(0, -noisier) + (BEND * change) ** 2);
      out[a + i] = 2 ** ((fromSource[i] * bySource + fromWave[i] * byWave) / (bySource + byWave) / 1200);
    }
  }
}

const centsOf = (hz: ArrayLike<number>, a: number, z: number): Float64Array =>
  Float64Array.from({ length: z - a }, (_, i) => 1200 * Math.log2(hz[a + i]));

/** Mean square of a line's second difference about each frame; 0 where it is too short to tell. */
function unrestOf(line: Float64Array): Float64Array {
  const n = line.length;
  const sums = new Float64Array(n + 1);
  for (let i = 0; i < n; i++) {
    const inside = i >= LAG && i + LAG < n;
    const d = inside ? line[i - LAG] - 2 * line[i] + line[i + LAG] : 0;
    sums[i + 1] = sums[i] + Math.min(MOST_UNREST, d * d);
  }
  return line.map((_, i) => {
    const from = Math.max(LAG, i - REACH);
    const to = Math.min(n - LAG, i + REACH + 1);
    return to > from ? (sums[to] - sums[from]) / (to - from) : 0;
  });
}
