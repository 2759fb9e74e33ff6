import type { Song, Track } from '@essim/core';
import { db } from '../keeping/db';
import { leadOf, songOf, trackOf, type Hear, type SessionState } from './state';

/**
 * What each way of hearing sounds like: which tracks, and how loud against the mix. It belongs to whoever listens, not to the song: it is
 * kept beside it, not undone and not exported.
 */

/** One way of hearing; what is absent is as usual. */
export interface HearMix {
  /** Level beside the track's own, dB, by track. */
  levels: Record<string, number>;
  /** Tracks heard or not, where that is not as usual. */
  heard: Record<string, boolean>;
}
export type Listening = Record<Hear, HearMix>;

export const usualListening = (): Listening => ({
  alone: { levels: {}, heard: {} },
  backing: { levels: {}, heard: {} },
  lead: { levels: {}, heard: {} },
  whole: { levels: {}, heard: {} },
});

const LOWEST_DB = -30;
const HIGHEST_DB = 12;
export const HEAR_LEVELS = { low: LOWEST_DB, high: HIGHEST_DB };

/** The track the edited one follows, or the lead it stands beside. */
function ownLead(s: SessionState, song: Song): string | undefined {
  return trackOf(s, s.editTrackId)?.followsId ?? leadOf(song)?.id;
}

/** Whether a track is heard in a way of hearing unless chosen otherwise. */
export function usuallyHeard(s: SessionState, hear: Hear, track: Track): boolean {
  const song = songOf(s);
  if (track.id === s.editTrackId || hear === 'whole') return true;
  if (hear === 'backing') return track.role === 'backing';
  return hear === 'lead' && !!song && track.id === ownLead(s, song);
}

/** Whether a track is heard now, muting and soloing apart. The edited one always is. */
export const isHeard = (s: SessionState, track: Track): boolean =>
  track.id === s.editTrackId || (s.listening[s.hear].heard[track.id] ?? usuallyHeard(s, s.hear, track));

/** Level of a track beside its own in the present way of hearing, dB. */
export const hearLevel = (s: SessionState, trackId: string): number => s.listening[s.hear].levels[trackId] ?? 0;

/** A mix with a track heard or not. */
export const withHeard = (mix: HearMix, trackId: string, heard: boolean): HearMix => ({
  ...mix,
  heard: { ...mix.heard, [trackId]: heard },
});

/** A mix with a track at another level. */
export const withLevel = (mix: HearMix, trackId: string, level: number): HearMix => ({
  ...mix,
  levels: { ...mix.levels, [trackId]: Math.max(LOWEST_DB, Math.min(HIGHEST_DB, level)) },
});

/** Keeps how a song is listened to; a failure costs the levels only and is not told. */
export const keepListening = (songId: string, listening: Listening): Promise<unknown> =>
  db.listening.put({ songId, listening }).catch(() => {});

/** What was kept for a song; what is not as it should be is left out. */
export async function loadListening(songId: string): Promise<Listening> {
  const kept = (await db.listening.get(songId).catch(() => undefined))?.listening as Partial<Listening> | undefined;
  const out = usualListening();
  for (const hear of Object.keys(out) as Hear[]) {
    for (const [id, db] of Object.entries(kept?.[hear]?.levels ?? {}))
      if (Number.isFinite(db)) out[hear].levels[id] = Math.max(LOWEST_DB, Math.min(HIGHEST_DB, db));
    for (const [id, heard] of Object.entries(kept?.[hear]?.heard ?? {}))
      if (typeof heard === 'boolean') out[hear].heard[id] = heard;
  }
  return out;
}
