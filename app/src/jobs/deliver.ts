import {
  addToMix,
  composeClips,
  packFlac,
  placedInMix,
  programmeOf,
  readWav,
  writeWav,
  type Clip,
  type Programme,
  type Samples,
} from '@essim/core';
import { Zip, ZipPassThrough } from 'fflate';

export type DeliveryFormat = 'int16' | 'int24' | 'float32';
export type Container = 'wav' | 'flac';

/** A track on its way out. */
export interface Delivered {
  /** Name of its file, with the ending. */
  file: string;
  clips: Clip[];
  sources: [string, Samples[]][];
  /** Of left and right in its file; in a mix for practising, behind the others. */
  gains: [number, number];
  /** Its file holds it as it is, two microphones side by side. */
  dry?: boolean;
  /** Of left and right in the mix, where that is another thing. */
  inMix?: [number, number];
  /** Two microphones of one singer: heard together in the middle. */
  linked: boolean;
}

/** A file that was made, and what it sounds like. */
export interface DeliveredFile extends Programme {
  name: string;
  /** Highest sample, dB full scale. */
  peakDb: number;
}

export interface Delivery {
  /** Null where it was only measured. */
  bytes: Blob | null;
  files: DeliveredFile[];
}

/** All tracks as stems in a zip; their mix; mixes with each voice in front of the others, in a zip; or stems and mix only measured. */
export type DeliveredAs = 'stems' | 'mix' | 'practice' | 'measures';

export interface DeliveryJob {
  sampleRate: number;
  /** Samples of the whole song. */
  length: number;
  /** What of it is written, samples. */
  from: number;
  to: number;
  format: DeliveryFormat;
  container: Container;
  dither: boolean;
  as: DeliveredAs;
  /** Files say where in the song they begin (EBU Tech 3285). */
  stamped: boolean;
}

const BITS: Record<DeliveryFormat, number> = { int16: 16, int24: 24, float32: 32 };

/** Writes what is delivered, track by track; whole songs never pass the page. */
export class DeliverJob {
  private readonly chunks: Uint8Array<ArrayBuffer>[] = [];
  private readonly zip: Zip | null;
  private readonly files: DeliveredFile[] = [];
  private mix: Float32Array[] | null = null;

  constructor(private readonly asked: DeliveryJob) {
    this.zip =
      asked.as === 'stems' || asked.as === 'practice'
        ? new Zip((error, chunk) => {
            if (error) throw error;
            this.chunks.push(chunk as Uint8Array<ArrayBuffer>);
          })
        : null;
  }

  /** Adds a track to the zip, to the mix, or to both. */
  async add(track: Delivered): Promise<void> {
    const { as } = this.asked;
    if (as === 'stems' || as === 'measures') await this.entry(track.file, this.placed(track, track.gains, track.dry));
    if (as !== 'stems') addToMix((this.mix ??= this.silence()), this.placed(track, track.inMix ?? track.gains));
  }

  /** Adds the mix of all that were added, one of them with other gains, to the zip. @param track as it was added */
  async inFront(track: Delivered, gains: [number, number]): Promise<void> {
    const mix = (this.mix ?? this.silence()).map(c => c.slice());
    const [back, front] = [track.gains, gains].map(g => this.placed(track, g));
    mix.forEach((c, i) => {
      const [b, f] = [back, front].map(list => list[Math.min(i, list.length - 1)]);
      for (let k = 0; k < c.length; k++) c[k] += f[k] - b[k];
    });
    await this.entry(track.file, mix);
  }

  private silence(): Float32Array[] {
    const { length } = this.asked;
    return [new Float32Array(length), new Float32Array(length)];
  }

  private placed({ clips, sources, linked }: Delivered, gains: [number, number], dry = false): Float32Array[] {
    const joined = composeClips(clips, new Map(sources), this.asked.sampleRate, this.asked.length);
    return placedInMix(joined, gains, linked && !dry);
  }

  private async entry(file: string, channels: Float32Array[]): Promise<void> {
    const bytes = await this.written(file, channels);
    if (!this.zip || !bytes) return;
    const entry = new ZipPassThrough(file);
    this.zip.add(entry);
    entry.push(bytes, true);
  }

  /** @param file name of the mix */
  async finish(file: string): Promise<Delivery> {
    const { as } = this.asked;
    if (as === 'mix' || as === 'measures') return this.one(file, this.mix ?? this.silence());
    this.zip?.end();
    return { bytes: new Blob(this.chunks, { type: 'application/zip' }), files: this.files };
  }

  /** One track on its own. */
  single(track: Delivered): Promise<Delivery> {
    return this.one(track.file, this.placed(track, track.gains, track.dry));
  }

  private async one(file: string, channels: Float32Array[]): Promise<Delivery> {
    const bytes = await this.written(file, channels);
    const { container } = this.asked;
    return { bytes: bytes && new Blob([bytes], { type: `audio/${container}` }), files: this.files };
  }

  private async written(name: string, whole: Float32Array[]): Promise<Uint8Array<ArrayBuffer> | null> {
    const { from, to, format, sampleRate, dither, container, stamped, as } = this.asked;
    const channels = whole.map(c => c.subarray(from, to));
    let peak = 0;
    for (const c of channels) for (let i = 0; i < c.length; i++) if (Math.abs(c[i]) > peak) peak = Math.abs(c[i]);
    this.files.push({ name, peakDb: 20 * Math.log10(peak + 1e-9), ...programmeOf(channels, sampleRate) });
    if (as === 'measures') return null;
    const options = { format, dither, ...(stamped ? { timeReference: from } : {}) };
    const wav = writeWav({ sampleRate, channels }, options) as Uint8Array<ArrayBuffer>;
    if (container === 'wav') return wav;
    // the very samples the WAV would hold
    return packFlac({ sampleRate, bits: BITS[format], channels: readWav(wav).channels });
  }
}
