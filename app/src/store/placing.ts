import {
  AlignRule,
  clipsOf,
  followedMap,
  TimeMap,
  type Clip,
  type FoundAlignment,
  type Meeting,
  type Track,
} from '@essim/core';

/** Where a clip's take lies in the song, as it is heard: moved, and bent where its track follows another. */
export class Place {
  constructor(
    /** Song time as sung minus take time. */
    readonly shift: number,
    /** Song time as sung to song time as heard; null: the same. */
    readonly bent: TimeMap | null = null,
  ) {}

  toSong(take: number): number {
    return this.bent ? this.bent.forward(take + this.shift) : take + this.shift;
  }
  toTake(song: number): number {
    return (this.bent ? this.bent.backward(song) : song) - this.shift;
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

const maps = new WeakMap<FoundAlignment, WeakMap<AlignRule, TimeMap>>();
/** What holds while nothing was said. */
export const usualAlign: AlignRule = Object.freeze(new AlignRule());

/** Song time as sung to song time as heard of a track that follows another; null when it is heard as sung. */
export function bentOf({ followsId, align, found }: Pick<Track, 'followsId' | 'align' | 'found'>): TimeMap | null {
  const rule = align ?? usualAlign;
  const exact = exactOf(rule);
  if (!followsId || !found || (!rule.closeness && !exact.length)) return null;
  const known = maps.get(found) ?? new WeakMap<AlignRule, TimeMap>();
  maps.set(found, known);
  let map = known.get(rule);
  if (!map) {
    const points = meetingsOf(found.points);
    map = followedMap(
      { map: points, rests: found.rests },
      {
        closeness: rule.closeness,
        bending: rule.bending,
        exact,
        ties: rule.ties.filter(t => !t.locked).map(t => ({ from: t.follower, to: t.lead })),
        asSung: rule.asSung,
      },
      points[points.length - 1]?.from ?? 0,
    );
    known.set(rule, map);
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

/** A track's clips where they are heard. */
export function placedClips(track: Track, clips: readonly Clip[] = clipsOf(track)): PlacedClip[] {
  const bent = bentOf(track);
  // a take has one sound: where it is borrowed from elsewhere it is bent as at its own place
  const places = new Map<string, Place>();
  return clips.map(c => {
    const key = `${c.takeId} ${c.shift}`;
    let place = places.get(key);
    if (!place) places.set(key, (place = new Place(c.shift, bent)));
    if (!bent) return { ...c, place };
    return { ...c, from: c.from && bent.forward(c.from), to: c.to === Infinity ? Infinity : bent.forward(c.to), place };
  });
}
