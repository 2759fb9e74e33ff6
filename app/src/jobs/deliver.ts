import { addToMix, composeClips, placedInMix, writeWav, type Clip } from '@essim/core';
import { Zip, ZipPassThrough } from 'fflate';

export type DeliveryFormat = 'int16' | 'int24' | 'float32';

/** A track on its way out. */
export interface Delivered {
  /** Name of its file, with the ending. */
  file: string;
  clips: Clip[];
  sources: [string, Float32Array[]][];
  /** Of left and right. */
  gains: [number, number];
  linked: boolean;
}

export interface Delivery {
  bytes: Blob;
  /** Highest sample of what was written, dB full scale. */
  peakDb: number;
}

/** All tracks as stems in a zip; their mix; or mixes with each voice in front of the others, in a zip. */
export type DeliveredAs = 'stems' | 'mix' | 'practice';

/** Writes what is delivered, track by track; whole songs never pass the page. */
export class DeliverJob {
  private readonly chunks: Uint8Array<ArrayBuffer>[] = [];
  private readonly zip: Zip | null;
  private mix: Float32Array[] | null = null;
  private peak = 0;

  /** @param length samples of everything that will be written */
  constructor(
    private readonly sampleRate: number,
    private readonly length: number,
    private readonly format: DeliveryFormat,
    private readonly dither: boolean,
    private readonly as: DeliveredAs,
  ) {
    this.zip =
      as !== 'mix'
        ? new Zip((error, chunk) => {
            if (error) throw error;
            this.chunks.push(chunk as Uint8Array<ArrayBuffer>);
          })
        : null;
  }

  /** Adds a track to the zip or to the mix. */
  add(track: Delivered): void {
    const placed = this.placed(track, track.gains);
    if (this.as !== 'stems') return addToMix((this.mix ??= this.silence()), placed);
    this.entry(track.file, placed);
  }

  /** Adds the mix of all that were added, one of them with other gains, to the zip. @param track as it was added */
  inFront(track: Delivered, gains: [number, number]): void {
    const mix = (this.mix ?? this.silence()).map(c => c.slice());
    const [back, front] = [track.gains, gains].map(g => this.placed(track, g));
    mix.forEach((c, i) => {
      const [b, f] = [back, front].map(list => list[Math.min(i, list.length - 1)]);
      for (let k = 0; k < c.length; k++) c[k] += f[k] - b[k];
    });
    this.entry(track.file, mix);
  }

  private silence(): Float32Array[] {
    return [new Float32Array(this.length), new Float32Array(this.length)];
  }

  private placed({ clips, sources, linked }: Delivered, gains: [number, number]): Float32Array[] {
    const joined = composeClips(clips, new Map(sources), this.sampleRate, this.length);
    return placedInMix(joined, gains, linked);
  }

  private entry(file: string, channels: Float32Array[]): void {
    const entry = new ZipPassThrough(file);
    this.zip!.add(entry);
    entry.push(this.written(channels), true);
  }

  finish(): Delivery {
    if (this.zip) {
      this.zip.end();
      return { bytes: new Blob(this.chunks, { type: 'application/zip' }), peakDb: this.peakDb };
    }
    const bytes = new Blob([this.written(this.mix ?? this.silence())], { type: 'audio/wav' });
    return { bytes, peakDb: this.peakDb };
  }

  /** One track on its own. */
  single(track: Delivered): Delivery {
    const bytes = new Blob([this.written(this.placed(track, track.gains))], { type: 'audio/wav' });
    return { bytes, peakDb: this.peakDb };
  }

  private written(channels: Float32Array[]): Uint8Array<ArrayBuffer> {
    for (const c of channels)
      for (let i = 0; i < c.length; i++) if (Math.abs(c[i]) > this.peak) this.peak = Math.abs(c[i]);
    const { format, sampleRate } = this;
    return writeWav({ sampleRate, channels }, { format, dither: this.dither }) as Uint8Array<ArrayBuffer>;
  }

  private get peakDb(): number {
    return 20 * Math.log10(this.peak + 1e-9);
  }
}
