import { composeClips, type Track } from '@essim/core';
import { toast } from 'sonner';
import { keepSamples } from '../jobs/files-client';
import { act, songOf, useSession } from '../open-song';
import { notReady, renderedTrack, songLength } from './rendering';

/** Tracks made of what others sound like. */

const onTrack = (track: Track) => ({ target: { tracks: [{ track, parts: [] }], span: null, broad: true } });

/** Makes a new track of what a track sounds like as edited; the original stays, muted. @returns whether it was begun */
export function bounceTrack(track: Track): boolean {
  const why = notReady([track]);
  if (why) {
    toast.error(why, { id: 'deliver' });
    return false;
  }
  return act('bounce', {}, { ...onTrack(track), also: { bounce: soundAsRecording } });
}

/** Lets the original of a bounce be heard again. */
export const reopenBounce = (track: Track): boolean => act('reopen', {}, onTrack(track));

/** Keeps what a track sounds like as edited, from the song's zero and as long as the song. @returns the recording's name */
async function soundAsRecording(track: Track): Promise<string> {
  const song = songOf(useSession.getState())!;
  const { clips, sources } = await renderedTrack(track);
  const length = await songLength(song.tracks.filter(t => t.segments.length));
  const channels = composeClips(clips, new Map(sources), song.sampleRate, length);
  return keepSamples(
    `${track.name} as edited`,
    song.sampleRate,
    channels.map(c => c.slice()),
  );
}
