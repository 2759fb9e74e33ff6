import { followedMap } from '../align';
import {
  AlignRule,
  clipsOf,
  TimeMap,
  type Clip,
  type FoundAlignment,
  type Meeting,
  type Song,
  type TimeAnchor,
  type Track,
} from '../song';
import type { HeardSeconds, Seconds, Span, TakeSeconds } from '../units';

/** Where a clip's take lies in the song, as it is heard: moved, and bent where its track follows another. */
export class Place {
  constructor(
    /** Song time as sung minus take time. */
    readonly shift: Seconds,
    /** Song time as sung to song time as heard; null: the same. */
    readonly bent: TimeMap | null = null,
  ) {}

  toSong(take: TakeSeconds): HeardSeconds {
    return this.bent ? this.bent.forward(take + this.shift) : take + this.shift;
  }
  toTake(song: HeardSeconds): TakeSeconds {
    return (this.bent ? this.bent.backward(song) : song) - this.shift;
  }
  /** Where its pace changes between two moments of the take. */
  knots(from: TakeSeconds, to: TakeSeconds): TakeSeconds[] {
    return (this.bent?.toJSON() ?? []).map(p => p.from - this.shift).filter(t => t > from && t < to);
  }
  /** Take time to the same take's time as heard. */
  takeMap(): TimeMap | null {
    if (!this.bent) return null;
    return TimeMap.shift(this.shift).then(this.bent).then(TimeMap.shift(-this.shift));
  }
}

/** A clip with its ends where they are heard. */
export interface PlacedClip extends Clip {
  place: Place;
}

/** Pairs of numbers as meetings, as an alignment is kept. */
export const meetingsOf = (points: readonly number[]): Meeting[] =>
  Array.from({ length: points.length >> 1 }, (_, i) => ({ from: points[2 * i], to: points[2 * i + 1] }));

/** What holds while nothing was said. */
export const usualAlign: AlignRule = Object.freeze(new AlignRule());

type Tracks = Pick<Song, 'tracks'>;
/** The track another follows. */
export const stackLeadOf = ({ tracks }: Tracks, { followsId }: Pick<Track, 'followsId'>): Track | undefined =>
  followsId ? tracks.find(t => t.id === followsId) : undefined;

interface Heard {
  /** What was found, the lead's moments where they are heard. */
  meetings: Meeting[];
  maps: WeakMap<AlignRule, TimeMap>;
}
const AS_SUNG = {};
const heard = new WeakMap<FoundAlignment, WeakMap<object, Heard>>();

function heardOf(found: FoundAlignment, lead: TimeMap | null): Heard {
  const known = heard.get(found) ?? new WeakMap<object, Heard>();
  heard.set(found, known);
  let out = known.get(lead ?? AS_SUNG);
  if (!out) {
    const meetings = meetingsOf(found.points);
    out = { meetings: lead ? heardWith(meetings, lead) : meetings, maps: new WeakMap() };
    known.set(lead ?? AS_SUNG, out);
  }
  return out;
}

/** Meetings with the lead's moments where they are heard; moments that fall together are one. */
function heardWith(meetings: readonly Meeting[], lead: TimeMap): Meeting[] {
  const out: Meeting[] = [];
  for (const m of meetings) {
    const to = lead.forward(m.to);
    if (!out.length || to > out[out.length - 1].to + 1e-9) out.push({ from: m.from, to });
  }
  return out;
}

/**
 * The moments of a follower as it was sung, and where what belongs to them in its lead is heard: the lead may itself follow. Null where
 * nothing was found.
 */
export function meetingsWithLead(song: Tracks, track: Track): Meeting[] | null {
  const lead = stackLeadOf(song, track);
  return lead && track.found ? heardOf(track.found, heardMap(song, lead)).meetings : null;
}

type Timed = Pick<Track, 'followsId' | 'align' | 'found' | 'time'>;

/** Song time as sung to song time as heard: by what a track follows, and how it was moved by hand; null when it is heard as sung. */
export function heardMap(song: Tracks, track: Timed): TimeMap | null {
  const base = followingMap(song, track);
  if (!track.time.length) return base;
  const byBase = movedMaps.get(track.time) ?? new WeakMap<object, TimeMap>();
  movedMaps.set(track.time, byBase);
  let map = byBase.get(base ?? AS_SUNG);
  if (!map) {
    const own = ownMap(track.time, base);
    byBase.set(base ?? AS_SUNG, (map = base ? base.then(own) : own));
  }
  return map;
}

const movedMaps = new WeakMap<Track['time'], WeakMap<object, TimeMap>>();
/** As far as time may be pressed together where edits meet that what the track follows has brought too near, heard over not moved. */
const LEAST_PACE = 0.01;

/** Time as it would be heard without what was moved by hand, to time as heard. @param base as sung to the former; null: the same */
export function ownMap(time: readonly TimeAnchor[], base: TimeMap | null): TimeMap {
  const points: Meeting[] = [];
  for (const { at, by } of time) {
    const from = base ? base.forward(at) : at;
    const last = points[points.length - 1] as Meeting | undefined;
    if (last && from <= last.from + 1e-6) continue;
    points.push({ from, to: last ? Math.max(from + by, last.to + LEAST_PACE * (from - last.from)) : from + by });
  }
  return TimeMap.through(points);
}

/** The same by what a track follows alone. */
export function followingMap(song: Tracks, track: Omit<Timed, 'time'>): TimeMap | null {
  const { found } = track;
  const rule = track.align ?? usualAlign;
  const exact = exactOf(rule);
  const lead = stackLeadOf(song, track);
  if (!lead || !found || (!rule.closeness && !exact.length)) return null;
  const bentLead = heardMap(song, lead);
  const { meetings, maps } = heardOf(found, bentLead);
  let map = maps.get(rule);
  if (!map) {
    map = followedMap(
      { map: meetings, rests: found.rests },
      {
        closeness: rule.closeness,
        bending: rule.bending,
        exact,
        ties: rule.ties
          .filter(t => !t.locked)
          .map(t => ({ from: t.follower, to: bentLead ? bentLead.forward(t.lead) : t.lead })),
        asSung: rule.asSung,
      },
      meetings[meetings.length - 1]?.from ?? 0,
    );
    maps.set(rule, map);
  }
  return map;
}

/** What is met exactly: locked ties and words moved by hand, in order; of those that would cross, the first. */
function exactOf({ ties, moved }: AlignRule): Meeting[] {
  const all = [
    ...moved.map(m => ({ from: m.at, to: m.to })),
    ...ties.filter(t => t.locked).map(t => ({ from: t.follower, to: t.lead })),
  ];
  const kept: Meeting[] = [];
  for (const e of all) if (kept.every(k => (k.from - e.from) * (k.to - e.to) > 0)) kept.push(e);
  return kept.sort((a, b) => a.from - b.from);
}

const placed = new WeakMap<Track['segments'], { of: unknown[]; clips: PlacedClip[] }>();

/** A track's clips where they are heard; the same list while nothing about it changed. */
export function placedClips(song: Tracks, track: Track): PlacedClip[] {
  const bent = heardMap(song, track);
  const of = [bent, ...track.takes.flatMap(t => [t.id, t.offsetSeconds])];
  const known = placed.get(track.segments);
  if (known && known.of.length === of.length && known.of.every((v, i) => v === of[i])) return known.clips;
  // a take has one sound: where it is borrowed from elsewhere it is bent as at its own place
  const places = new Map<string, Place>();
  const clips = clipsOf(track).map((c): PlacedClip => {
    const key = `${c.takeId} ${c.shift}`;
    let place = places.get(key);
    if (!place) places.set(key, (place = new Place(c.shift, bent)));
    if (!bent) return { ...c, place };
    return { ...c, from: c.from && bent.forward(c.from), to: c.to === Infinity ? Infinity : bent.forward(c.to), place };
  });
  placed.set(track.segments, { of, clips });
  return clips;
}

/** A stretch as it is heard where it was sung; nothing lies before the song. */
export function sungStretch(song: Tracks, track: Track, { start, end }: Span<HeardSeconds>): Span {
  const bent = heardMap(song, track);
  const sung = (t: HeardSeconds) => Math.max(0, bent ? bent.backward(t) : t);
  return { start: sung(start), end: sung(end) };
}

/** Stretches as they were sung where they are heard. */
export function heardStretches<T extends Span>(song: Tracks, track: Track, stretches: readonly T[]): readonly T[] {
  const bent = stretches.length ? heardMap(song, track) : null;
  return bent ? stretches.map(s => ({ ...s, start: bent.forward(s.start), end: bent.forward(s.end) })) : stretches;
}
