import {
  clipsToLookAt,
  evidenceOf,
  mixDown,
  Stopped,
  unpickedCandidates,
  type Candidate,
  type Clip,
  type Evidence,
  type UnpickOptions,
  type Samples,
} from '@essim/core';
import * as Comlink from 'comlink';

/** Takes recorded chords apart off the page. The evidence of the last is kept, so that it is at hand when it is said who sings. */
export class UnpickJob {
  private last: { stamp: string; evidence: Evidence } | null = null;

  /** @param stamp changes with anything that is heard of the recording @throws Stopped */
  unpick(
    track: { stamp: string; clips: Clip[]; sources: [string, Samples[]][]; length: number },
    sampleRate: number,
    options: UnpickOptions,
    stop: Int32Array,
    onProgress: (share: number) => void,
  ): Candidate[] {
    const stamp = `${track.stamp} ${track.length}`;
    if (this.last?.stamp !== stamp) {
      const x = mixDown(clipsToLookAt(track.clips, new Map(track.sources), sampleRate, track.length));
      const evidence = evidenceOf(x, sampleRate, share => {
        onProgress(share);
        return Atomics.load(stop, 0) === 0;
      });
      if (!evidence) throw new Stopped();
      this.last = { stamp, evidence };
    }
    return unpickedCandidates(this.last.evidence, options);
  }
}

Comlink.expose(new UnpickJob());
