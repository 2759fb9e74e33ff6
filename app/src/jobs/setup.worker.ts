import * as Comlink from 'comlink';
import { analyseBacking, type BackingEstimate } from '@essim/core';

/** A backing track and where its first sample lies, in samples of the song. */
export interface BackingSound {
  channels: Float32Array[];
  offset: number;
}

/** What the backing tells about the song, off the main thread. */
const job = {
  analyse(sounds: BackingSound[], sampleRate: number): BackingEstimate {
    const length = Math.max(1, ...sounds.map(s => s.offset + s.channels[0].length));
    const mono = new Float32Array(length);
    for (const { channels, offset } of sounds)
      for (const c of channels)
        for (let i = Math.max(0, -offset); i < c.length; i++) mono[i + offset] += c[i] / channels.length;
    const estimate = analyseBacking(mono, sampleRate);
    const { all, bass } = estimate.chroma;
    return Comlink.transfer(estimate, [all.buffer, bass.buffer]);
  },
};
export type SetupJob = typeof job;
Comlink.expose(job);
