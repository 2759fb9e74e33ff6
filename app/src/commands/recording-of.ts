import { clipsOf, lengthOf, type Clip, type Track, type Samples } from '@essim/core';
import { songOf, soundOf, useSession } from '../open-song';

/** A track's recordings as they lie in its comp, unedited, ready to be posted. */
export interface Recorded {
  /** Changes with anything that is heard of it. */
  stamp: string;
  clips: Clip[];
  sources: [string, Samples[]][];
  /** Samples. */
  length: number;
}

/** A track's recordings, waited for while they are loaded. @param stopped whether nobody wants them any more @throws Error, Stopped */
export async function recordingOf(track: Track, stopped?: () => boolean): Promise<Recorded> {
  const { sampleRate } = songOf(useSession.getState())!;
  const clips = clipsOf(track);
  const ids = [...new Set(clips.map(c => c.takeId))];
  const sources = await Promise.all(
    ids.map(async (id): Promise<[string, Samples[]]> => {
      const { sung } = await soundOf(
        track.takes.find(t => t.id === id)!,
        stopped,
      );
      return [id, sung];
    }),
  );
  const ends = clips.map(c => {
    const [x] = sources.find(([id]) => id === c.takeId)![1];
    return Math.min(c.to * sampleRate, Math.round(c.shift * sampleRate) + lengthOf(x));
  });
  return {
    stamp: clips.map(c => `${track.takes.find(k => k.id === c.takeId)?.sourceId} ${c.from} ${c.to} ${c.shift}`).join(),
    clips,
    sources,
    length: Math.max(1, ...ends.map(Math.ceil)),
  };
}
