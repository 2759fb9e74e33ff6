import { copySamples, floatsOf, lengthOf, type Samples } from '../signal/samples';
import { findSegments, PitchedSegment } from './epochs';
import { LayerShelf } from './layer-shelf';
import { groupsOf, separate, type Group, type Layers } from './separate';

/** A take that can be played from: what the engine needs of it. */
export interface VoiceSource {
  readonly sampleRate: number;
  readonly hop: number;
  /** Frames of its pitch line. */
  readonly frames: number;
  /** Samples a channel, and how many channels. */
  readonly length: number;
  readonly channelCount: number;
  readonly segments: readonly PitchedSegment[];
  /** The layers of a channel about one of the segments. */
  layersOf(segment: PitchedSegment, channel: number): Layers;
  /** Copies source samples from a place on; silence outside. */
  copy(channel: number, from: number, out: Float32Array): void;
}

/** Part of an analysis with everything in it made, for playing from it where nothing may be worked out: plain arrays, to be posted. */
export interface VoiceSnapshot {
  sampleRate: number;
  hop: number;
  frames: number;
  /** Source sample at which its arrays begin. */
  from: number;
  /** Per channel. */
  source: Float32Array[];
  pulses: Float32Array[];
  breath: Float32Array[];
  segments: { firstFrame: number; lastFrame: number; start: number; end: number; epochs: Float64Array }[];
}

/**
 * A take made ready for the engine: pitched segments with epochs common to all channels, and each channel's layers. Everything is made
 * when it is first needed, so that opening a long take costs nothing and changing a note costs that note's phrase.
 */
export class VoiceAnalysis implements VoiceSource {
  readonly segments: readonly PitchedSegment[];
  private readonly groups: readonly Group[];
  private readonly groupOf = new Map<PitchedSegment, Group>();

  /**
   * @param channels one or two of equal length; never written
   * @param f0 the reading's pitch line, Hz per frame, 0 where unpitched
   * @param before an analysis of the same channels by an older pitch line; what is the same is taken over
   * @param shelf where its layers are kept, beside those of others
   */
  constructor(
    readonly channels: readonly Samples[],
    readonly sampleRate: number,
    readonly f0: Float32Array,
    readonly hop: number,
    before?: VoiceAnalysis,
    private readonly shelf: LayerShelf = before?.shelf ?? new LayerShelf(),
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
    for (const g of before?.groups ?? []) if (!now.has(g)) this.shelf.drop(g);
  }

  /** Samples a channel. */
  get length(): number {
    return lengthOf(this.channels[0]);
  }

  get frames(): number {
    return this.f0.length;
  }
  get channelCount(): number {
    return this.channels.length;
  }

  copy(channel: number, from: number, out: Float32Array): void {
    copySamples(this.channels[channel], from, out.length, out);
  }

  layersOf(segment: PitchedSegment, channel: number): Layers {
    const group = this.groupOf.get(segment)!;
    return this.shelf.get(group, () => this.channels.map(c => separate(c, this.sampleRate, group)))[channel];
  }

  /** Gives back its layers, which can be made again: they will not be asked for soon. */
  rest(): void {
    for (const g of this.groups) this.shelf.drop(g);
  }

  /** Everything of the voices that sound between two source samples, worked out. Their whole length, however short the span. */
  snapshot(from: number, to: number): VoiceSnapshot {
    const segments = this.segments.filter(s => s.end > from && s.start < to);
    const groups = [...new Set(segments.map(s => this.groupOf.get(s)!))];
    const start = Math.max(0, Math.floor(Math.min(from, ...groups.map(g => g.from))));
    const end = Math.min(this.length, Math.ceil(Math.max(to, ...groups.map(g => g.to))));
    const { sampleRate, hop } = this;
    const gathered = (layer: 'pulses' | 'breath') =>
      this.channels.map((_, c) => {
        const out = new Float32Array(end - start);
        for (const g of groups) {
          const layers = this.layersOf(g.segments[0], c);
          out.set(layers[layer], layers.from - start);
        }
        return out;
      });
    return {
      sampleRate,
      hop,
      frames: this.f0.length,
      from: start,
      source: this.channels.map(c => floatsOf(c, start, end).slice()),
      pulses: gathered('pulses'),
      breath: gathered('breath'),
      segments: segments.map(s => ({
        firstFrame: s.firstFrame,
        lastFrame: s.lastFrame,
        start: s.start,
        end: s.end,
        epochs: s.epochs,
      })),
    };
  }
}

/** A snapshot as something to be played from. */
export function voiceFromSnapshot(s: VoiceSnapshot): VoiceSource {
  const layers = s.source.map((_, c): Layers => ({ from: s.from, pulses: s.pulses[c], breath: s.breath[c] }));
  return {
    sampleRate: s.sampleRate,
    hop: s.hop,
    frames: s.frames,
    length: s.from + s.source[0].length,
    channelCount: s.source.length,
    // a voice that is sung live cannot know what will be asked of it before it opens
    segments: s.segments.map(
      g =>
        new PitchedSegment(g.firstFrame, g.lastFrame, g.start, g.end, () => ({
          epochs: g.epochs,
          rises: [],
          brinks: [],
        })),
    ),
    layersOf: (_, c) => layers[c],
    copy: (c, from, out) => copySamples(s.source[c], from - s.from, out.length, out),
  };
}

/**
 * Makes a take ready for the engine.
 * @param before an analysis of the same channels by an older pitch line; what is the same is taken over
 * @param shelf where its layers are kept beside those of other takes; absent: its own, or that of before
 * Cost: next to nothing; epochs and layers are made when they are needed, at about 1/350 of real time.
 */
export const analyseVoice = (
  channels: readonly Samples[],
  sampleRate: number,
  f0: ArrayLike<number>,
  hop: number,
  before?: VoiceAnalysis,
  shelf?: LayerShelf,
): VoiceAnalysis => new VoiceAnalysis(channels, sampleRate, Float32Array.from(f0), hop, before, shelf);
