import type { Song, Take, Track } from './document';

/** Longest piece of an id that goes into the id of what is made from it. */
const PIECE = 30;
/** Id of the take of a part that is made of a take of its lead. */
export const partTakeId = (track: string, take: string): string => `${track.slice(0, PIECE)}-${take.slice(0, PIECE)}`;

const SHARED = ['name', 'sourceId', 'offsetSeconds', 'range', 'channels', 'words', 'corrections'] as const;

/**
 * Gives every part the takes and the comp of the track it is made from; its edits stay its own. Done after every change, so that a part
 * is never of another comp than its lead's. What needs no change stays the same object.
 */
export function withParts(song: Song): Song {
  if (!song.tracks.some(t => t.part)) return song;
  const tracks = song.tracks.map(track => {
    const lead = track.part && song.tracks.find(t => t.id === track.part!.fromId);
    return lead && !lead.part ? madeFrom(track, lead) : track;
  });
  return tracks.every((t, i) => t === song.tracks[i]) ? song : { ...song, tracks };
}

function madeFrom(part: Track, lead: Track): Track {
  const takes = lead.takes.map((take): Take => {
    const id = partTakeId(part.id, take.id);
    const old = part.takes.find(t => t.id === id);
    if (old && SHARED.every(k => old[k] === take[k])) return old;
    return { ...take, id, edits: old?.edits ?? {} };
  });
  // what was set on a take that is gone comes back with it
  takes.push(...part.takes.filter(t => Object.keys(t.edits).length && !takes.some(k => k.id === t.id)));
  const segments = lead.segments.map(g => ({ ...g, takeId: partTakeId(part.id, g.takeId) }));
  // where its lead follows another, it goes along
  const { followsId, align, found } = lead;
  const bears = part.followsId === followsId && part.align === align && part.found === found;
  const sameTakes = takes.length === part.takes.length && takes.every((t, i) => t === part.takes[i]);
  const sameSegments = JSON.stringify(segments) === JSON.stringify(part.segments);
  if (sameTakes && sameSegments && bears) return part;
  return {
    ...part,
    followsId,
    align,
    found,
    takes: sameTakes ? part.takes : takes,
    segments: sameSegments ? part.segments : segments,
  };
}

/** The take of the lead that a part's take is. */
export const leadTakeOf = (part: Track, lead: Track, takeId: string): Take | undefined =>
  lead.takes.find(t => partTakeId(part.id, t.id) === takeId);
