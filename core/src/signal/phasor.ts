import { copySamples } from './samples';
import { placesFor } from './single';

const roomFor = (size: number) => ({ ...placesFor({ x: size, sums: 4 }), size });
let room: ReturnType<typeof roomFor> | null = null;

/** A sinusoid in a stretch of a sound: its amplitude as a phasor, and the power of all that is there; sums under a Hann window. */
export interface Sinusoid {
  re: number;
  im: number;
  power: number;
}

/**
 * Sums a sound under a Hann window against exp(-j turn (t - centre)), from half a window before to half a window after the sample next to
 * the centre; zeros beyond its ends. In single precision.
 * @param turn radians a sample @param half of the window, samples
 */
export function sinusoidAt(x: Float32Array, centre: number, turn: number, half: number): Sinusoid {
  const n = 2 * half + 1;
  if (!room || room.size < n) room = roomFor(2 ** Math.ceil(Math.log2(n + 1)));
  const { x: place, sums, run } = room;
  const whole = Math.round(centre);
  copySamples(x, whole - half, n, place.values);
  place.values.fill(0, n, n + 3);
  const begin = turn * (whole - centre - half);
  run.phasor(
    place.at,
    n,
    Math.cos(begin),
    Math.sin(begin),
    Math.cos(turn),
    Math.sin(turn),
    Math.cos(Math.PI / half),
    Math.sin(Math.PI / half),
    sums.at,
  );
  const [re, im, power] = sums.values;
  return { re, im, power };
}
