import { colourFrames, frameLoudness, framePeaks } from '../measure';
import { BANDS } from '../plan';
import { mixDown, type Reading } from '../read';

/** What the sound of a take tells beside its reading; a number a frame. */
export interface TakeSound {
  /** LUFS over 10 ms. */
  loudnessDb: Float32Array;
  peakDb: Float32Array;
  /** As measure/colour.ts has it, in BANDS. */
  colour: Float32Array;
}

/** @param reading its pitch tells the colour */
export function takeSound(channels: readonly Float32Array[], { f0, hop, sampleRate }: Reading): TakeSound {
  return {
    loudnessDb: frameLoudness(channels, sampleRate, hop, f0.length),
    peakDb: framePeaks(channels, sampleRate, hop, f0.length),
    colour: colourFrames(mixDown([...channels]), sampleRate, f0, hop, BANDS),
  };
}
