import { Take, type Song, type Track } from './document';

/**
 * Parts hold only what is their own: the rule, the mix and the edits of their notes. Their takes, their comp and what they follow are
 * those of the track they are made from; withParts puts them in for everybody who reads a song, withoutParts takes them out again
 * before anything is compared, stored or sent.
 */

/** Longest piece of an id that goes into the id of what is made from it. */
const PIECE = 30;
/** Id of the take of a part that is made of a take of its lead, who may be a part too. */
export function partTakeId(track: string, lead: Pick<Track, 'id' | 'part'>, take: string): string {
  // of a part of a part both have the take that was sung
  const sung = lead.part ? take.slice(lead.id.slice(0, PIECE).length + 1) : take;
  return `${track.slice(0, PIECE)}-${sung.slice(0, PIECE)}`;
}

const SHARED = ['name', 'sourceId', 'offsetSeconds', 'range', 'channels', 'words', 'noises', 'corrections'] as const;

/** Gives every part the takes and the comp of the track it is made from. What needs no change stays the same object. */
export function withParts(song: Song): Song {
  const made = new Map<string, Track>();
  const whole = (track: Track): Track => {
    const known = made.get(track.id);
    if (known) return known;
    // what is made of itself in a circle stays as it is
    made.set(track.id, track);
    const lead = track.part && song.tracks.find(t => t.id === track.part!.fromId);
    const out = lead ? madeFrom(track, whole(lead)) : track;
    made.set(track.id, out);
    return out;
  };
  return mapped(song, whole);
}

/** The song as it is stored: of its parts only what is their own. What has none stays the same object. */
export function withoutParts(song: Song): Song {
  return mapped(song, track => (track.part ? ownOf(track) : track));
}

function mapped(song: Song, change: (track: Track) => Track): Song {
  const tracks = song.tracks.map(change);
  return tracks.every((t, i) => t === song.tracks[i]) ? song : { ...song, tracks };
}

function madeFrom(part: Track, lead: Track): Track {
  const takes = lead.takes.map((take): Take => {
    const id = partTakeId(part.id, lead, take.id);
    const old = part.takes.find(t => t.id === id);
    if (old && SHARED.every(k => old[k] === take[k])) return old;
    return { ...take, id, edits: old?.edits ?? {} };
  });
  // what was set on a take that is gone comes back with it
  takes.push(...part.takes.filter(t => Object.keys(t.edits).length && !takes.some(k => k.id === t.id)));
  const segments = lead.segments.map(g => ({ ...g, takeId: partTakeId(part.id, lead, g.takeId) }));
  // where its lead follows another, or was moved, it goes along
  const { followsId, align, found, time } = lead;
  const follows = part.followsId === followsId && part.align === align && part.found === found && part.time === time;
  const sameTakes = takes.length === part.takes.length && takes.every((t, i) => t === part.takes[i]);
  const sameSegments = JSON.stringify(segments) === JSON.stringify(part.segments);
  if (sameTakes && sameSegments && follows) return part;
  return {
    ...part,
    followsId,
    align,
    found,
    time,
    takes: sameTakes ? part.takes : takes,
    segments: sameSegments ? part.segments : segments,
  };
}

/** Stands for the recording of a take that is its lead's. */
const LEADS_OWN = { name: 'as its lead', sourceId: '0'.repeat(64), offsetSeconds: 0 };
const NO_TIME: Track['time'] = [];
const owns = new WeakMap<Track, Track>();
const ownTakes = new WeakMap<Take['edits'], Take>();

function ownOf(part: Track): Track {
  const known = owns.get(part);
  if (known) return known;
  const takes = part.takes
    .filter(t => Object.keys(t.edits).length)
    .map(({ id, edits }) => {
      let own = ownTakes.get(edits);
      if (own?.id !== id) ownTakes.set(edits, (own = Object.assign(new Take(), { ...LEADS_OWN, id, edits })));
      return own;
    });
  const own = { ...part, followsId: null, align: null, found: null, time: NO_TIME, takes, segments: [] };
  owns.set(part, own);
  return own;
}

/** The take of the lead that a part's take is. */
export const leadTakeOf = (part: Track, lead: Track, takeId: string): Take | undefined =>
  lead.takes.find(t => partTakeId(part.id, lead, t.id) === takeId);

/** The track that was sung, of which a part is made, by way of other parts or not; a track that was sung itself. */
export function sungTrackOf({ tracks }: Pick<Song, 'tracks'>, track: Track): Track {
  let at = track;
  for (let i = 0; at.part && i <= tracks.length; i++) {
    const lead = tracks.find(t => t.id === at.part!.fromId);
    if (!lead) break;
    at = lead;
  }
  return at;
}

/** Whether a part made of another track would be made of itself. */
export function partCircles(song: Pick<Song, 'tracks'>, trackId: string, fromId: string): boolean {
  let at = song.tracks.find(t => t.id === fromId);
  for (let i = 0; at && i <= song.tracks.length; i++) {
    if (at.id === trackId) return true;
    at = at.part ? song.tracks.find(t => t.id === at!.part!.fromId) : undefined;
  }
  return false;
}
