import { clipsOf, type Clip, type Track } from '@essim/core';
import { opened, songOf, useSession } from '../open-song';

/** A track's recordings as they lie in its comp, unedited, ready to be posted. */
export interface Recorded {
  /** Changes with anything that is heard of it. */
  stamp: string;
  clips: Clip[];
  sources: [string, Float32Array[]][];
  /** Samples. */
  length: number;
}

/** @throws Error when something of it is not loaded yet */
export function recordingOf(track: Track): Recorded {
  const { sampleRate } = songOf(useSession.getState())!;
  const clips = clipsOf(track);
  const sources = [...new Set(clips.map(c => c.takeId))].map((id): [string, Float32Array[]] => {
    const sound = opened()!.sounds.get(id);
    if (!sound) throw new Error(`${track.name} is not loaded yet`);
    return [id, sound.sung];
  });
  const ends = clips.map(c => {
    const x = sources.find(([id]) => id === c.takeId)![1][0];
    return Math.min(c.to * sampleRate, Math.round(c.shift * sampleRate) + x.length);
  });
  return {
    stamp: clips.map(c => `${track.takes.find(k => k.id === c.takeId)?.sourceId} ${c.from} ${c.to} ${c.shift}`).join(),
    clips,
    sources,
    length: Math.max(1, ...ends.map(Math.ceil)),
  };
}
