import * as Comlink from 'comlink';
import { analyseBackings, type BackingEstimate, type BackingSound } from '@essim/core';

/** What the backing tells about the song, off the main thread. */
const job = {
  analyse(sounds: BackingSound[], sampleRate: number): BackingEstimate {
    const estimate = analyseBackings(sounds, sampleRate);
    const { all, bass } = estimate.chroma;
    return Comlink.transfer(estimate, [all.buffer, bass.buffer]);
  },
};
export type SetupJob = typeof job;
Comlink.expose(job);
