import { heardMap, placedClips, type PlacedClip } from '../score';
import { changeTrack, pickSpan, TimeAnchor, USUAL_FADE_MS, type Song, type Take, type Track } from '../song';
import type { HeardSeconds, Seconds, Span } from '../units';
import { Refused, type Intent } from './intent';

/** Sound brought from elsewhere: another chorus, another take, another track. */

const TIME = { kind: 'number', low: 0, high: 86400, unit: 's' } as const;
/** Shorter is no sound. */
const SHORTEST: Seconds = 0.01;

const paste: Intent = {
  name: 'paste',
  title: 'Paste',
  about:
    'Brings what sounds between two moments of a track to another, with its edits, crossfaded; on the track that is meant, or on its own.',
  on: 'tracks',
  reads: true,
  also: ({ track }) => track as string | undefined,
  args: [
    { name: 'from', about: 'where it begins', ...TIME, required: true },
    { name: 'to', about: 'where it ends', ...TIME, required: true },
    { name: 'track', about: 'whose it is; absent: the track’s own', kind: 'text', most: 200 },
    { name: 'at', about: 'where it goes', ...TIME, required: true },
  ],
  act({ score, target, newId }, args) {
    const [from, to, at] = [args.from, args.to, args.at] as number[];
    if (to - from < SHORTEST) throw new Refused('there is nothing between from and to');
    const { song } = score;
    const named = args.track === undefined ? undefined : trackNamed(song, args.track as string);
    const meant = target.tracks.map(t => t.track);
    // nobody said where: it stays in its own track
    const onto = meant.length === 1 ? meant[0] : (named ?? meant[0]);
    const source = named ?? onto;
    if (!onto || !source) throw new Refused('no track is meant');
    if (onto.part) throw new Refused(`${onto.name} is a part: it sings what its lead does`);
    return {
      label: `Paste ${(to - from).toFixed(2)} s of ${source.name}`,
      song: pasted(song, onto, piecesOf(song, source, { start: from, end: to }), at - from, newId),
    };
  },
};

function trackNamed(song: Song, name: string): Track {
  const track = song.tracks.find(t => t.name === name) ?? song.tracks.find(t => t.role === name);
  if (!track) throw new Refused(`there is no track "${name}"`);
  return track;
}

/** What of one take sounds in a stretch. */
interface Piece extends Span<HeardSeconds> {
  take: Take;
  clip: PlacedClip;
}

function piecesOf(song: Song, track: Track, span: Span<HeardSeconds>): Piece[] {
  return placedClips(song, track).flatMap(clip => {
    const take = track.takes.find(t => t.id === clip.takeId);
    const [start, end] = [Math.max(span.start, clip.from), Math.min(span.end, clip.to)];
    return take && end - start > SHORTEST ? [{ take, clip, start, end }] : [];
  });
}

/** The song with pieces of sound in a track, heard so much later than they were. */
function pasted(song: Song, onto: Track, pieces: readonly Piece[], by: Seconds, newId: () => string): Song {
  if (!pieces.length) throw new Refused('nothing sounds there');
  const bent = heardMap(song, onto);
  const sung = (heard: HeardSeconds) => Math.max(0, bent ? bent.backward(heard) : heard);
  let { takes, segments } = onto;
  let time = onto.time;
  for (const { take, clip, start, end } of pieces) {
    const { place } = clip;
    const [first, last] = [place.toTake(start), place.toTake(end)];
    // it lies so that its beginning is where it is to be heard; moved by hand as it is where it comes from
    const begin = sung(start + by);
    const offset = begin - first;
    const copy: Take = {
      ...take,
      id: newId(),
      name: `${take.name} from ${minutes(start)}`.slice(0, 200),
      offsetSeconds: offset,
      borrowed: true,
    };
    takes = [...takes, copy];
    const until = last + offset;
    segments = pickSpan(segments, begin, until, { takeId: copy.id, fadeMs: USUAL_FADE_MS });
    const points = [first, ...place.knots(first, last), last].map(t => ({
      at: t + offset,
      heard: place.toSong(t) + by,
    }));
    time = timed(song, onto, time, points);
  }
  return changeTrack(onto.id, t => ({ ...t, takes, segments, time }))(song);
}

/** Anchors with some moments, as sung, heard where they are said; what lies outside of them stays. */
function timed(
  song: Song,
  track: Track,
  time: readonly TimeAnchor[],
  points: readonly { at: Seconds; heard: HeardSeconds }[],
): TimeAnchor[] {
  const base = heardMap(song, { ...track, time: [] });
  const now = heardMap(song, { ...track, time: [...time] });
  const anchor = (at: Seconds, heard: HeardSeconds) =>
    Object.assign(new TimeAnchor(), { at, by: heard - (base ? base.forward(at) : at) });
  const inside = points.map(p => anchor(p.at, p.heard));
  if (inside.every(a => Math.abs(a.by) < 1e-6) && !time.some(a => a.at > points[0].at && a.at < points.at(-1)!.at))
    return [...time];
  const [first, last] = [points[0].at, points[points.length - 1].at];
  const EDGE = 0.004;
  const stays = (at: Seconds) => anchor(at, now ? now.forward(at) : at);
  const out = [
    ...time.filter(a => a.at < first - EDGE),
    ...(first > EDGE ? [stays(first - EDGE)] : []),
    ...inside,
    stays(last + EDGE),
    ...time.filter(a => a.at > last + EDGE),
  ];
  return out.filter((a, i) => !i || a.at > out[i - 1].at);
}

const minutes = (s: Seconds) => `${Math.floor(s / 60)}:${(s % 60).toFixed(1).padStart(4, '0')}`;

export const PASTE_INTENTS: readonly Intent[] = [paste];
