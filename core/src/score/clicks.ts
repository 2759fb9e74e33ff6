import { findClicks, interpolate, type Click } from '../measure';
import type { Reading } from '../read';
import { floatsOf, type Samples } from '../signal/samples';
import type { Take, Track } from '../song';
import { overlapOf, type Span, type TakeSeconds } from '../units';

/** Mouth clicks of a take: which there are, what is asked of each, and the sound without them. */

/** Mouth clicks of a take. @param x one channel */
export const clicksOf = (x: Float32Array, { f0, hop, sampleRate, noises }: Reading): Click[] =>
  findClicks(x, sampleRate, f0, hop, noises);

/** Clicks turned down: each a stretch of the take. */
export interface ClickGain extends Span<TakeSeconds> {
  /** What of it stays, 0..1. */
  keep: number;
}

/** The channels with some clicks foretold by what is about them; others are the same arrays. */
export function withoutClicks<Held extends Samples>(
  channels: readonly Held[],
  sampleRate: number,
  clicks: readonly ClickGain[],
): (Held | Float32Array)[] {
  if (!clicks.length) return [...channels];
  return channels.map(c => {
    const out = floatsOf(c).slice();
    for (const { start, end, keep } of clicks) interpolate(out, sampleRate, { start, end }, keep);
    return out;
  });
}

/** Longer is another noise, s. */
const LONGEST: TakeSeconds = 0.012;
const isClick = (e: Span): boolean => e.end - e.start < LONGEST;

/** Whether anything is asked of a take's clicks. */
export const asksOfClicks = ({ clean, noises }: Pick<Track, 'clean' | 'noises'>, take: Pick<Take, 'noises'>): boolean =>
  !!clean?.clicks || noises.some(r => r.kind === 'click') || take.noises.some(isClick);

/** What is asked of a take's clicks: how much of each stays. @returns empty where nothing is */
export function clickGains(
  clicks: readonly Click[],
  { clean, noises }: Pick<Track, 'clean' | 'noises'>,
  take: Pick<Take, 'noises'>,
): ClickGain[] {
  const rule = clean?.clicks ? -96 : (noises.find(r => r.kind === 'click')?.db ?? 0);
  return clicks.flatMap(({ start, end }) => {
    const own = take.noises.find(e => isClick(e) && overlapOf(e, { start, end }) > 0.5 * (end - start));
    const db = own ? own.db : rule;
    return db < 0 ? [{ start, end, keep: 10 ** (db / 20) }] : [];
  });
}
