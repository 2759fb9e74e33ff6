import { findSegments, type PitchedSegment } from './epochs';
import { groupsOf, separate, type Group, type Layers } from './separate';

/** Most samples of layers kept at a time, all channels; older ones are made again when they are needed. About 46 MB. */
const KEPT_SAMPLES = 6e6;

/**
 * A take made ready for the engine: pitched segments with epochs common to all channels, and each channel's layers. Everything is made
 * when it is first needed, so that opening a long take costs nothing and changing a note costs that note's phrase.
 */
export class VoiceAnalysis {
  readonly segments: readonly PitchedSegment[];
  private readonly groups: readonly Group[];
  private readonly groupOf = new Map<PitchedSegment, Group>();
  private readonly layers: Map<Group, Layers[]>;

  /**
   * @param channels one or two arrays of equal length; never written
   * @param f0 the reading's pitch line, Hz per frame, 0 where unpitched
   * @param before an analysis of the same channels by an older pitch line; what is the same is taken over
   */
  constructor(
    readonly channels: readonly Float32Array[],
    readonly sampleRate: number,
    readonly f0: Float32Array,
    readonly hop: number,
    before?: VoiceAnalysis,
  ) {
    this.segments = findSegments(channels, sampleRate, f0, hop, before);
    const known = new Map(before?.groups.map(g => [g.segments[0], g]));
    this.groups = groupsOf(this.segments, this.length).map(g => {
      const old = known.get(g.segments[0]);
      const same = old?.segments.length === g.segments.length && old.segments.every((s, i) => s === g.segments[i]);
      return same ? old : g;
    });
    for (const g of this.groups) for (const s of g.segments) this.groupOf.set(s, g);
    const now = new Set(this.groups);
    this.layers = new Map([...(before?.layers ?? [])].filter(([g]) => now.has(g)));
  }

  /** Samples a channel. */
  get length(): number {
    return this.channels[0].length;
  }

  /** The layers of a channel about one of the segments. */
  layersOf(segment: PitchedSegment, channel: number): Layers {
    const group = this.groupOf.get(segment)!;
    let all = this.layers.get(group);
    if (all) {
      // the one asked for last is dropped last
      this.layers.delete(group);
      this.layers.set(group, all);
    } else {
      all = this.channels.map(c => separate(c, this.sampleRate, group));
      this.layers.set(group, all);
      this.dropOld();
    }
    return all[channel];
  }

  private dropOld(): void {
    const size = (g: Group) => 2 * (g.to - g.from) * this.channels.length;
    let kept = 0;
    for (const g of this.layers.keys()) kept += size(g);
    for (const g of this.layers.keys()) {
      if (kept <= KEPT_SAMPLES || this.layers.size === 1) return;
      this.layers.delete(g);
      kept -= size(g);
    }
  }
}

/**
 * Makes a take ready for the engine.
 * @param before an analysis of the same channels by an older pitch line; what is the same is taken over
 * Cost: next to nothing; epochs and layers are made when they are needed, at about 1/130 of real time.
 */
export const analyseVoice = (
  channels: readonly Float32Array[],
  sampleRate: number,
  f0: ArrayLike<number>,
  hop: number,
  before?: VoiceAnalysis,
): VoiceAnalysis => new VoiceAnalysis(channels, sampleRate, Float32Array.from(f0), hop, before);
