import { DocumentError } from './check';
import type { ReadingCorrections } from '../read/correct';
import { Corrections, type Segment, type Song, type Take, type Track } from './document';

/** Small pure changes that commands are put together from. Each takes a song and gives another; what is not there is an error. */
export type Change = (song: Song) => Song;

/** Several changes, one after the other. */
export const together =
  (changes: Iterable<Change>): Change =>
  song => {
    for (const change of changes) song = change(song);
    return song;
  };

export type SongFields = Partial<Omit<Song, 'version' | 'id' | 'sampleRate' | 'tracks'>>;
export type TrackFields = Partial<Omit<Track, 'id'>>;
export type TakeFields = Partial<Omit<Take, 'id'>>;

export const setSong =
  (fields: SongFields): Change =>
  song => ({ ...song, ...fields });

/** @throws DocumentError when the track is not there */
export const changeTrack =
  (trackId: string, change: (track: Track) => Track): Change =>
  song => {
    if (!song.tracks.some(t => t.id === trackId)) throw new DocumentError('the track is no longer there');
    return { ...song, tracks: song.tracks.map(t => (t.id === trackId ? change(t) : t)) };
  };

export const setTrack = (trackId: string, fields: TrackFields): Change =>
  changeTrack(trackId, track => ({ ...track, ...fields }));

/** @throws DocumentError when the take is not there */
export const changeTake = (trackId: string, takeId: string, change: (take: Take) => Take): Change =>
  changeTrack(trackId, track => {
    if (!track.takes.some(t => t.id === takeId)) throw new DocumentError('the take is no longer there');
    return { ...track, takes: track.takes.map(t => (t.id === takeId ? change(t) : t)) };
  });

export const setTake = (trackId: string, takeId: string, fields: TakeFields): Change =>
  changeTake(trackId, takeId, take => ({ ...take, ...fields }));

/** What was put right in a take's reading, with some of it put otherwise. */
export const correctionsWith = (
  { corrections }: Pick<Take, 'corrections'>,
  fields: Partial<ReadingCorrections> & { looked?: readonly string[] },
): Corrections => Object.assign(new Corrections(), corrections, fields as Partial<Corrections>);

export const addTrack =
  (track: Track, index: number): Change =>
  song => ({ ...song, tracks: [...song.tracks.slice(0, index), track, ...song.tracks.slice(index)] });

export const removeTrack =
  (trackId: string): Change =>
  song => ({ ...song, tracks: song.tracks.filter(t => t.id !== trackId) });

/** Puts a track at another place in the order. */
export const moveTrack =
  (trackId: string, index: number): Change =>
  song => {
    const track = song.tracks.find(t => t.id === trackId);
    if (!track) throw new DocumentError('the track is no longer there');
    const rest = song.tracks.filter(t => t !== track);
    return { ...song, tracks: [...rest.slice(0, index), track, ...rest.slice(index)] };
  };

/** Length of a crossfade nothing else was said about, ms. */
export const USUAL_FADE_MS = 12;
export const onlyOf = (takeId: string): Segment => ({ at: 0, takeId, fadeMs: USUAL_FADE_MS });

/** Adds takes to a track. The comp stays; a track without one gets the first of them as its comp. */
export const addTakes = (trackId: string, takes: readonly Take[]): Change =>
  changeTrack(trackId, track => ({
    ...track,
    takes: [...track.takes, ...takes],
    segments: track.segments.length || !takes.length ? track.segments : [onlyOf(takes[0].id)],
  }));

/** Takes a take away; where it was heard the first of the others is. */
export const removeTake = (trackId: string, takeId: string): Change =>
  changeTrack(trackId, track => {
    const takes = track.takes.filter(t => t.id !== takeId);
    const heard = track.segments.map((g): Segment =>
      g.takeId === takeId ? { at: g.at, takeId: takes[0]?.id, fadeMs: g.fadeMs } : g,
    );
    const segments = heard.filter((g, i) => {
      const before = heard[i - 1] as Segment | undefined;
      return takes.length && (g.takeId !== before?.takeId || g.shiftSeconds !== before.shiftSeconds);
    });
    return { ...track, takes, segments };
  });
