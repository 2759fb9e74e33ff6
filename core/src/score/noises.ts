import { meanLevel } from '../measure';
import type { GainSpan } from '../plan';
import type { ReadNoise, Reading } from '../read';
import type { NoiseSort, Take, Track } from '../song';
import { median } from '../signal/statistics';
import { clamp, lastAtMost, overlapOf, type Decibels, type HeardSeconds, type Span, type TakeSeconds } from '../units';
import type { Place } from './place';
import type { TakeView, TrackView } from './track-view';

/** Sibilants, plosives and breaths, as loud as they are beside the voice they belong to, and what turns them up or down. */

export interface Noise extends Span<TakeSeconds> {
  kind: NoiseSort;
  /** Its own level, dB full scale. */
  levelDb: Decibels;
  /** Over the voice beside it. */
  besideDb: Decibels;
}

/** A voice further away than this is not beside it, s. */
const BESIDE = 0.6;
/** Loudest so much over usual, and so much under it a noise is soft enough to be left alone. */
const SOFT = { from: -4, to: -12 };
/** Over which a noise goes over into what is about it, s. */
const OVER: TakeSeconds = 0.012;
const OVER_BREATH: TakeSeconds = 0.03;
/** Two noises begin together when no further apart than this, s. */
const TOGETHER: HeardSeconds = 0.09;
/** No noise is longer. */
const LONGEST: HeardSeconds = 4;
/** Nobody sings: so long after a note its sound may still die away, and so long before one its beginning may be read late, s. */
const TAIL = { after: 0.18, before: 0.06 };
const CLEAN_OVER: TakeSeconds = 0.12;
const SHORTEST_GAP: TakeSeconds = 0.1;

const known = new WeakMap<Reading, Noise[]>();

/** The noises of a reading with their levels; found once. */
export function noisesOf(reading: Reading): Noise[] {
  let noises = known.get(reading);
  if (noises) return noises;
  const { levelDb, hop, notes } = reading;
  const voices = notes.map(n => meanLevel(levelDb, n.onset / hop, n.end / hop));
  const whole = notes.length ? median(voices) : 0;
  noises = reading.noises.map((n: ReadNoise): Noise => {
    const near = voices.filter((_, i) => notes[i].end > n.start - BESIDE && notes[i].start < n.end + BESIDE);
    const level = meanLevel(levelDb, n.start / hop, n.end / hop);
    return { ...n, levelDb: level, besideDb: level - (near.length ? Math.max(...near) : whole) };
  });
  known.set(reading, noises);
  return noises;
}

const usuals = new WeakMap<readonly Noise[], Map<NoiseSort, Decibels>>();
/** How far over its voice a kind usually lies in a take; found once. */
export function usualBeside(noises: readonly Noise[], kind: NoiseSort): Decibels {
  const byKind = usuals.get(noises) ?? new Map<NoiseSort, Decibels>();
  usuals.set(noises, byKind);
  let usual = byKind.get(kind);
  if (usual === undefined) {
    const list = noises.filter(n => n.kind === kind).map(n => n.besideDb);
    byKind.set(kind, (usual = list.length ? median(list) : 0));
  }
  return usual;
}

/** How much of what is asked of all of its kind a noise takes: a soft one is left soft. */
const shareOf = (n: Noise, usual: Decibels): number =>
  clamp((n.besideDb - usual - SOFT.to) / (SOFT.from - SOFT.to), 0, 1);

/** How much softer a part that blends entirely sings each kind, dB. */
const BLENDED: Record<NoiseSort, Decibels> = { sibilant: 9, plosive: 8, breath: 14, click: 0 };

/** A noise of another track as it is heard. */
type HeardNoise = Span<HeardSeconds> & { kind: string };

/** Whether a noise coincides with one of its kind of a lead. @param theirs in order of where they begin */
export function coincides(n: HeardNoise, theirs: readonly HeardNoise[]): boolean {
  const meets = (l: HeardNoise) =>
    l.kind === n.kind && (Math.abs(l.start - n.start) < TOGETHER || overlapOf(l, n) > 0.5 * (n.end - n.start));
  for (
    let i = Math.max(
      0,
      lastAtMost(theirs, n.start - LONGEST, l => l.start),
    );
    theirs[i]?.start < n.end + TOGETHER;
    i++
  )
    if (meets(theirs[i])) return true;
  return false;
}

/** What is asked of the noises of a take: a function that tells by how much one is turned up or down. */
export function noiseLevels(
  all: readonly Noise[],
  take: Pick<Take, 'noises'>,
  { noises, part }: Pick<Track, 'noises'> & Partial<Pick<Track, 'part'>>,
  place: Place,
  lead: readonly HeardNoise[] | null,
): (n: Noise) => Decibels {
  const rules = new Map(noises.map(r => [r.kind, r]));
  return n => {
    const own = take.noises.find(e => overlapOf(e, n) > 0.5 * (n.end - n.start));
    if (own) return own.db;
    const rule = rules.get(n.kind);
    const blended = -((part?.blend ?? 0) / 100) * BLENDED[n.kind];
    if (!rule) return blended;
    const db = blended + (rule.db && rule.db * shareOf(n, usualBeside(all, n.kind)));
    const heard = { kind: n.kind, start: place.toSong(n.start), end: place.toSong(n.end) };
    return rule.together && lead && coincides(heard, lead) ? db + rule.together : db;
  };
}

/** All stretches of a take that its noises, and cleaning, turn up or down. */
export function noiseGains(
  track: Track,
  take: Take,
  view: TakeView | undefined,
  place: Place,
  lead: TrackView | null,
): GainSpan[] {
  const reading = view?.reading;
  if (!reading || !(track.noises.length || take.noises.length || track.clean?.gapsDb || track.part?.blend)) return [];
  const all = noisesOf(reading);
  const levelOf = noiseLevels(all, take, track, place, lead?.reading?.noises ?? null);
  const out: GainSpan[] = [];
  for (const n of all) {
    const db = levelOf(n);
    if (db) out.push({ start: n.start, end: n.end, db, over: n.kind === 'breath' ? OVER_BREATH : OVER });
  }
  if (track.clean?.gapsDb) out.push(...gapsOf(reading).map(g => ({ ...g, db: track.clean!.gapsDb, over: CLEAN_OVER })));
  return out;
}

/** Where nobody sings, speaks or breathes. */
export function gapsOf({ notes, noises, spoken, duration }: Reading): Span<TakeSeconds>[] {
  const sounding = [
    ...notes.map(n => ({ start: n.start - TAIL.before, end: n.end + TAIL.after })),
    ...noises.map(n => ({ start: n.start - TAIL.before / 2, end: n.end + TAIL.after / 2 })),
    ...spoken.map(n => ({ start: n.start - TAIL.before, end: n.end + TAIL.after })),
  ].sort((a, b) => a.start - b.start);
  const out: Span[] = [];
  let at = 0;
  for (const s of sounding) {
    if (s.start - at > SHORTEST_GAP + 2 * CLEAN_OVER)
      out.push({ start: at + (at ? CLEAN_OVER : 0), end: s.start - CLEAN_OVER });
    at = Math.max(at, s.end);
  }
  if (duration - at > SHORTEST_GAP + CLEAN_OVER) out.push({ start: at + CLEAN_OVER, end: duration });
  return out;
}
