import { clickSample } from '../player/mixer';

/** Longest way round that is looked for, s. */
const LONGEST = 0.5;
/** How far the best place must stand out over the others. */
const CLEAR = 4;

/**
 * How late clicks that were played come back at the microphone: the delay at which the recording correlates best with the clicks,
 * summed over all of them.
 * @param recorded samples from song sample `position` on @param clicks song samples at which clicks were played
 * @returns samples, or null when no clicks are heard
 */
export function latencyOf(
  recorded: Float32Array,
  position: number,
  clicks: readonly number[],
  sampleRate: number,
): number | null {
  const template = Float32Array.from({ length: Math.round(0.012 * sampleRate) }, (_, i) =>
    clickSample(i, sampleRate, false),
  );
  const longest = Math.round(LONGEST * sampleRate);
  const sums = new Float64Array(longest);
  for (const at of clicks)
    for (let lag = 0; lag < longest; lag++) {
      const from = at + lag - position;
      if (from < 0 || from + template.length > recorded.length) continue;
      let s = 0;
      for (let i = 0; i < template.length; i++) s += template[i] * recorded[from + i];
      sums[lag] += s;
    }
  let best = 0;
  let square = 0;
  for (let lag = 0; lag < longest; lag++) {
    square += sums[lag] ** 2;
    if (Math.abs(sums[lag]) > Math.abs(sums[best])) best = lag;
  }
  return Math.abs(sums[best]) > CLEAR * Math.sqrt(square / longest) ? best : null;
}
