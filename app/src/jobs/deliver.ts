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

/** Writes what is delivered, track by track; whole songs never pass the page. */
export class DeliverJob {
  private readonly chunks: Uint8Array<ArrayBuffer>[] = [];
  private readonly zip: Zip | null;
  private mix: Float32Array[] | null = null;
  private peak = 0;

  /** @param length samples of everything that will be written @param stems whether each track goes into a zip */
  constructor(
    private readonly sampleRate: number,
    private readonly length: number,
    private readonly format: DeliveryFormat,
    private readonly dither: boolean,
    stems: boolean,
  ) {
    this.zip = stems
      ? new Zip((error, chunk) => {
          if (error) throw error;
          this.chunks.push(chunk as Uint8Array<ArrayBuffer>);
        })
      : null;
  }

  /** Adds a track to the zip or to the mix. */
  add({ file, clips, sources, gains, linked }: Delivered): void {
    const joined = composeClips(clips, new Map(sources), this.sampleRate, this.length);
    const placed = placedInMix(joined, gains, linked);
    if (!this.zip) {
      this.mix ??= [new Float32Array(this.length), new Float32Array(this.length)];
      return addToMix(this.mix, placed);
    }
    const entry = new ZipPassThrough(file);
    this.zip.add(entry);
    entry.push(this.written(placed), true);
  }

  finish(): Delivery {
    if (this.zip) {
      this.zip.end();
      return { bytes: new Blob(this.chunks, { type: 'application/zip' }), peakDb: this.peakDb };
    }
    this.mix ??= [new Float32Array(this.length), new Float32Array(this.length)];
    const bytes = new Blob([this.written(this.mix)], { type: 'audio/wav' });
    return { bytes, peakDb: this.peakDb };
  }

  /** One track on its own. */
  single(track: Delivered): Delivery {
    const joined = composeClips(track.clips, new Map(track.sources), this.sampleRate, this.length);
    const placed = placedInMix(joined, track.gains, track.linked);
    const bytes = new Blob([this.written(placed)], { type: 'audio/wav' });
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
