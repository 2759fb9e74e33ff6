import * as Comlink from 'comlink';
import {
  Aligner,
  alignFeatures,
  clipsToLookAt,
  compSound,
  featuresAlike,
  likenessOf,
  type AlignFeatures,
  type Alignment,
  type Clip,
  type Likeness,
  type Tie,
  type Samples,
} from '@essim/core';

/** A track as it is sung: its comp of whole recordings, and its pitch. */
export interface SungTrack {
  /** Changes with anything that is heard of it. */
  stamp: string;
  clips: Clip[];
  sources: [string, Samples[]][];
  /** Hz a frame of the song. */
  f0: Float32Array;
  /** Samples. */
  length: number;
}

/** A track as it is heard and compared: its comp of takes of one channel, in samples of a rate of their own. */
export interface ComparedTrack {
  clips: Clip[];
  sources: [string, Samples[]][];
  length: number;
  sampleRate: number;
}

/** What may be kept of tracks that were looked at, bytes: seven of three minutes, two of ten. */
const MOST_KEPT = 44e6;

/** What is kept of a second of a track. */
const BYTES_A_SECOND = 35e3;

const bytesOf = ({ values, fine, change, level, pitch, tone }: AlignFeatures) =>
  [values, fine, change, level, pitch, tone].reduce((sum, x) => sum + x.byteLength, 0);

/** Aligns tracks off the page. What was looked at of a track is kept, so that a tie costs no more than the matching. */
export class AlignJob {
  private readonly kept = new Map<string, AlignFeatures>();
  /** The last that was aligned. */
  private pair: { name: string; aligner: Aligner } | null = null;

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
    let pair = this.pair?.name === name ? this.pair.aligner : null;
    onProgress(0);
    if (!pair) {
      // one that is begun with another's memory leaves that one of no use
      const memory = this.pair?.aligner.memory;
      this.pair = null;
      // a stack shares its lead: that is kept, and the follower before makes room
      const b = this.featuresOf(lead, sampleRate, seconds);
      const a = featuresAlike(stretch => this.featuresOf(follower, sampleRate, seconds, stretch), b);
      pair = new Aligner(a, b, memory);
      this.pair = { name, aligner: pair };
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

  private featuresOf(t: SungTrack, sampleRate: number, seconds: number, stretch = 1): AlignFeatures {
    const usual = `${t.stamp} ${seconds}`;
    const name = stretch === 1 ? usual : `${usual} ${stretch}`;
    let found = this.kept.get(name);
    if (!found) {
      // nobody asks for both of one track
      if (stretch !== 1) this.kept.delete(usual);
      this.makeRoom(BYTES_A_SECOND * seconds);
      const sound = compSound(t.clips, new Map(t.sources), sampleRate, t.length);
      found = alignFeatures(sound, sampleRate, seconds, t.f0, stretch);
    }
    // the last asked for is the last to go
    this.kept.delete(name);
    this.kept.set(name, found);
    return found;
  }

  /** Forgets tracks until so much more may be kept. @param bytes of what is to be kept besides */
  private makeRoom(bytes: number): void {
    for (const [other, features] of [...this.kept].reverse())
      if ((bytes += bytesOf(features)) > MOST_KEPT) this.kept.delete(other);
  }

  /** How close two tracks are to being copies. @param a, b at the same rate */
  likeness(a: ComparedTrack, b: ComparedTrack): Likeness {
    const { sampleRate } = a;
    const length = Math.max(a.length, b.length);
    const [x, y] = [a, b].map(t => clipsToLookAt(t.clips, new Map(t.sources), sampleRate, length)[0]);
    return likenessOf(x, y, sampleRate);
  }
}

Comlink.expose(new AlignJob());
