import { colourFrames, findClicks, frameLoudness, framePeaks, interpolate, type Click } from '../measure';
import { BANDS } from '../plan';
import { mixDown, type Reading } from '../read';
import type { Take, Track } from '../song';
import type { Span, TakeSeconds } from '../units';

/** What the sound of a take tells beside its reading; a number a frame. */
export interface TakeSound {
  /** LUFS over 10 ms. */
  loudnessDb: Float32Array;
  peakDb: Float32Array;
  /** As measure/colour.ts has it, in BANDS. */
  colour: Float32Array;
  /** Mouth clicks, take time. */
  clicks: Click[];
}

/** @param reading its pitch tells the colour */
export function takeSound(channels: readonly Float32Array[], reading: Reading): TakeSound {
  const { f0, hop, sampleRate } = reading;
  const x = mixDown([...channels]);
  return {
    loudnessDb: frameLoudness(channels, sampleRate, hop, f0.length),
    peakDb: framePeaks(channels, sampleRate, hop, f0.length),
    colour: colourFrames(x, sampleRate, f0, hop, BANDS),
    clicks: clicksOf(x, reading),
  };
}

/** Mouth clicks of a take. @param x one channel */
export const clicksOf = (x: Float32Array, { f0, hop, sampleRate, noises }: Reading): Click[] =>
  findClicks(x, sampleRate, f0, hop, noises);

/** Clicks turned down: each a stretch of the take. */
export interface ClickGain extends Span<TakeSeconds> {
  /** What of it stays, 0..1. */
  keep: number;
}

/** The channels with some clicks foretold by what is about them; others are the same arrays. */
export function withoutClicks(
  channels: readonly Float32Array[],
  sampleRate: number,
  clicks: readonly ClickGain[],
): Float32Array[] {
  if (!clicks.length) return [...channels];
  return channels.map(c => {
    const out = c.slice();
    for (const { start, end, keep } of clicks) interpolate(out, sampleRate, { start, end }, keep);
    return out;
  });
}

/** What is asked of a take's clicks: how much of each stays. @returns empty where nothing is */
export function clickGains(
  clicks: readonly Click[],
  { clean, noises }: Pick<Track, 'clean' | 'noises'>,
  take: Pick<Take, 'noises'>,
): ClickGain[] {
  const rule = clean?.clicks ? -96 : (noises.find(r => r.kind === 'click')?.db ?? 0);
  return clicks.flatMap(({ start, end }) => {
    const own = take.noises.find(e => e.start <= start && e.end >= end && e.end - e.start < 0.012);
    const db = own ? own.db : rule;
    return db < 0 ? [{ start, end, keep: 10 ** (db / 20) }] : [];
  });
}
