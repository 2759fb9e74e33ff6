import { copySamples, floatsOf, lengthOf, type Samples } from '../signal/samples';
import type { Decibels, Seconds } from '../units';
import type { Segment, Take, Track } from './document';

/** A stretch of one take as it is played, song time. The fades reach half their length beyond its ends. */
export interface Clip {
  takeId: string;
  from: Seconds;
  /** Infinity for the last. */
  to: Seconds;
  /** Song time minus source time. */
  shift: Seconds;
  /** Lengths of the crossfades at its ends; 0: none, for the song begins or ends there. */
  fadeIn: Seconds;
  fadeOut: Seconds;
  levelDb: Decibels;
}

const shiftOf = (track: Pick<Track, 'takes'>, g: Segment): Seconds =>
  g.shiftSeconds ?? track.takes.find(t => t.id === g.takeId)?.offsetSeconds ?? 0;

/** Clips of a track in time order. Neighbours that run on in the same take are one clip, so that nothing is faded without need. */
export function clipsOf(track: Pick<Track, 'takes' | 'segments'>): Clip[] {
  const clips: Clip[] = [];
  for (const g of track.segments) {
    const clip = {
      takeId: g.takeId,
      from: g.at,
      to: Infinity,
      shift: shiftOf(track, g),
      fadeIn: clips.length ? g.fadeMs / 1000 : 0,
      fadeOut: 0,
      levelDb: g.levelDb ?? 0,
    };
    const last = clips[clips.length - 1];
    if (last && last.takeId === clip.takeId && last.shift === clip.shift && last.levelDb === clip.levelDb) continue;
    if (last) last.to = clip.from;
    clips.push(clip);
  }
  // a fade may not reach beyond the middle of either clip: three would sound at once
  clips.forEach((clip, i) => {
    if (!i) return;
    const before = clips[i - 1];
    clip.fadeIn = before.fadeOut = Math.min(clip.fadeIn, before.to - before.from, clip.to - clip.from);
  });
  return clips;
}

/** The take heard at a moment. */
export const takeAt = (track: Track, t: Seconds): Take | undefined => {
  const g = track.segments.findLast(q => q.at <= t) ?? track.segments[0];
  return track.takes.find(k => k.id === g?.takeId);
};

const same = (a: Segment, b: Segment) =>
  a.takeId === b.takeId && a.shiftSeconds === b.shiftSeconds && a.levelDb === b.levelDb;

/** Neighbours alike become one; the first begins at 0. */
function tidy(segments: Segment[]): Segment[] {
  const out: Segment[] = [];
  for (const g of segments) if (!out.length || !same(out[out.length - 1], g)) out.push(g);
  if (out.length) out[0] = { ...out[0], at: 0 };
  return out;
}

/** What a picked span plays. */
export interface Picked {
  takeId: string;
  shiftSeconds?: number;
  levelDb?: number;
  fadeMs?: number;
}

/** The comp with a span [from, to) of song time taken from a take. @throws RangeError for an empty span */
export function pickSpan(segments: readonly Segment[], from: Seconds, to: Seconds, pick: Picked): Segment[] {
  const begin = Math.max(0, from);
  if (!(to > begin)) throw new RangeError('the span to pick is empty');
  const inside: Segment = { at: begin, fadeMs: 12, ...pick };
  const resume = segments.findLast(g => g.at <= to);
  const end = to === Infinity || !resume ? [] : [{ ...resume, at: to, fadeMs: inside.fadeMs }];
  return tidy([...segments.filter(g => g.at < begin), inside, ...end, ...segments.filter(g => g.at > to)]);
}

/** The comp with the join at the start of segment `index` moved; it stays between its neighbours. */
export function moveJoin(segments: readonly Segment[], index: number, to: Seconds): Segment[] {
  if (index < 1 || index >= segments.length) return [...segments];
  const low = segments[index - 1].at + 0.02;
  const high = (segments[index + 1]?.at ?? Infinity) - 0.02;
  const at = Math.max(low, Math.min(high, to));
  return segments.map((g, i) => (i === index ? { ...g, at } : g));
}

/** Samples of a recording that are held as floats at a time while it is joined with others. */
const LONGEST_BLOCK = 4096;

/**
 * Joins a comp's recordings into one track, as the player does: equal-power crossfades about each join, and samples outside any join
 * copied bit for bit.
 * @param sources channels of each take in its own time @param length samples of the result @returns as many channels as the widest take
 */
export const composeClips = (
  clips: readonly Clip[],
  sources: ReadonlyMap<string, readonly Samples[]>,
  sampleRate: number,
  length: number,
): Float32Array[] => composeStretch(clips, sources, sampleRate, 0, length);

/** Samples [from, to) of the same. */
export function composeStretch(
  clips: readonly Clip[],
  sources: ReadonlyMap<string, readonly Samples[]>,
  sampleRate: number,
  from: number,
  to: number,
): Float32Array[] {
  const wide = Math.max(1, ...clips.map(c => sources.get(c.takeId)?.length ?? 1));
  const out = Array.from({ length: wide }, () => new Float32Array(to - from));
  const block = new Float32Array(Math.min(LONGEST_BLOCK, to - from));
  for (const clip of clips) {
    const source = sources.get(clip.takeId);
    if (!source) continue;
    const e = clipSamples(clip, sampleRate);
    const first = Math.max(from, e.from - e.halfIn, e.offset);
    const last = Math.min(to, e.to + e.halfOut, e.offset + lengthOf(source[0]));
    if (last <= first) continue;
    for (let c = 0; c < wide; c++) {
      const x = source[Math.min(c, source.length - 1)];
      const y = out[c];
      for (let at = first; at < last; at += block.length) {
        const n = Math.min(block.length, last - at);
        copySamples(x, at - e.offset, n, block);
        for (let i = 0; i < n; i++) y[at + i - from] += clipGain(e, at + i) * block[i];
      }
    }
  }
  return out;
}

/**
 * The same, to be looked at and never written: one whole take that lies at the song's start is its own recording, not a copy of it where
 * that is held as floats, for ten minutes are 115 MB.
 */
export function clipsToLookAt(
  clips: readonly Clip[],
  sources: ReadonlyMap<string, readonly Samples[]>,
  sampleRate: number,
  length: number,
): Float32Array[] {
  const [only] = clips;
  const source = clips.length === 1 ? sources.get(only.takeId) : undefined;
  if (source && lengthOf(source[0]) === length) {
    const e = clipSamples(only, sampleRate);
    if (e.offset === 0 && e.gain === 1 && e.from - e.halfIn <= 0 && e.to - e.halfOut >= length)
      return source.map(c => floatsOf(c));
  }
  return composeClips(clips, sources, sampleRate, length);
}

/** A clip in samples of the song. */
export interface ClipSamples {
  from: number;
  to: number;
  offset: number;
  halfIn: number;
  halfOut: number;
  gain: number;
}

export const clipSamples = (c: Clip, rate: number): ClipSamples => ({
  from: Math.round(c.from * rate),
  to: c.to === Infinity ? Infinity : Math.round(c.to * rate),
  offset: Math.round(c.shift * rate),
  halfIn: Math.round((c.fadeIn / 2) * rate),
  halfOut: Math.round((c.fadeOut / 2) * rate),
  gain: c.levelDb ? 10 ** (c.levelDb / 20) : 1,
});

/** Gain of a clip at a song sample: its level times its equal-power fades. Exactly its level between them. */
export function clipGain(e: ClipSamples, i: number): number {
  if (i < e.from - e.halfIn || i >= e.to + e.halfOut) return 0;
  let g = e.gain;
  if (e.halfIn && i < e.from + e.halfIn) g *= Math.sin((Math.PI / 4) * ((i + 0.5 - e.from) / e.halfIn + 1));
  if (e.halfOut && i >= e.to - e.halfOut) g *= Math.cos((Math.PI / 4) * ((i + 0.5 - e.to) / e.halfOut + 1));
  return g;
}

/** Takes that are heard somewhere in a track's comp. */
export const heardTakeIds = (track: Pick<Track, 'segments'>): Set<string> => new Set(track.segments.map(g => g.takeId));
