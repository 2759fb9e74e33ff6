import { colourFrames, frameLoudness, type Click, type ColourFrames } from '../measure';
import { BANDS } from '../plan';
import { mixDown, type Reading } from '../read';
import { clicksOf } from './clicks';

/** What the sound of a take tells beside its reading; a number a frame. */
export interface TakeSound {
  /** LUFS over 10 ms. */
  loudnessDb: Float32Array;
  /** As measure/colour.ts has them, in BANDS. */
  colour: ColourFrames;
  /** Mouth clicks, take time. */
  clicks: Click[];
}

/** @param reading its pitch tells the colour */
export function takeSound(channels: readonly Float32Array[], reading: Reading): TakeSound {
  const { f0, hop, sampleRate } = reading;
  const x = mixDown([...channels]);
  return {
    loudnessDb: frameLoudness(channels, sampleRate, hop, f0.length),
    colour: colourFrames(x, sampleRate, f0, hop, BANDS),
    clicks: clicksOf(x, reading),
  };
}
