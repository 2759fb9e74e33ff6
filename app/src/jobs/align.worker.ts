import * as Comlink from 'comlink';
import {
  Aligner,
  alignFeatures,
  clipsToLookAt,
  likenessOf,
  mixDown,
  type AlignFeatures,
  type Alignment,
  type Clip,
  type Likeness,
  type Tie,
} from '@essim/core';

/** A track as it is sung: its comp of whole recordings, and its pitch. */
export interface SungTrack {
  /** Changes with anything that is heard of it. */
  stamp: string;
  clips: Clip[];
  sources: [string, Float32Array[]][];
  /** Hz a frame of the song. */
  f0: Float32Array;
  /** Samples. */
  length: number;
}

/** Most tracks whose features are kept. */
const MOST_KEPT = 6;

/** Aligns tracks off the page. What was looked at of a track is kept, so that a tie costs no more than the matching. */
export class AlignJob {
  private readonly kept = new Map<string, AlignFeatures>();
  private readonly pairs = new Map<string, Aligner>();

  /** @throws Stopped, NothingToAlign */
  align(
    lead: SungTrack,
    follower: SungTrack,
    sampleRate: number,
    ties: Tie[],
    stop: Int32Array,
    onProgress: (share: number) => void,
  ): Alignment {
    const seconds = Math.max(lead.length, follower.length) / sampleRate;
    const name = `${follower.stamp} > ${lead.stamp} ${seconds}`;
    let pair = this.pairs.get(name);
    onProgress(0);
    if (!pair) {
      const [a, b] = [follower, lead].map(t => this.featuresOf(t, sampleRate, seconds));
      pair = new Aligner(a, b);
      this.pairs.clear();
      this.pairs.set(name, pair);
    }
    onProgress(0.2);
    return pair.align({
      ties,
      onProgress: share => {
        onProgress(0.2 + 0.8 * share);
        return Atomics.load(stop, 0) === 0;
      },
    });
  }

  private featuresOf(t: SungTrack, sampleRate: number, seconds: number): AlignFeatures {
    const name = `${t.stamp} ${seconds}`;
    let found = this.kept.get(name);
    if (!found) {
      const x = mixDown(clipsToLookAt(t.clips, new Map(t.sources), sampleRate, t.length));
      found = alignFeatures(x, sampleRate, seconds, t.f0);
      this.kept.set(name, found);
      if (this.kept.size > MOST_KEPT) this.kept.delete(this.kept.keys().next().value!);
    }
    return found;
  }

  /** How close two tracks are to being copies, as they are heard. */
  likeness(
    a: { clips: Clip[]; sources: [string, Float32Array[]][] },
    b: { clips: Clip[]; sources: [string, Float32Array[]][] },
    sampleRate: number,
    length: number,
  ): Likeness {
    const [x, y] = [a, b].map(t => mixDown(clipsToLookAt(t.clips, new Map(t.sources), sampleRate, length)));
    return likenessOf(x, y, sampleRate);
  }
}

Comlink.expose(new AlignJob());
