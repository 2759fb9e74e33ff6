import * as Comlink from 'comlink';
import { ConverterType, create } from '@alexanderolsen/libsamplerate-js';
import { AudioFileError, gainToDb, readWav, writeWav, type SampleFormat } from '@essim/core';

export interface ImportedAudio {
  sampleRate: number;
  channels: Float32Array[];
}
/** A file that could not be read; errors do not cross threads with their class, so they travel as data. */
export interface ImportFailure {
  error: string;
}

const SILENT_DB = -90;

/** Reads and writes sound files off the main thread. */
const job = {
  /** Reads a WAV file, at a song's rate when one is given. */
  async read(bytes: Uint8Array, wantedRate: number | null): Promise<ImportedAudio | ImportFailure> {
    try {
      const { sampleRate, channels } = readWav(bytes);
      if (channels.length > 2) return { error: `it has ${channels.length} channels; Essim takes mono and stereo` };
      let peak = 0;
      for (const c of channels) for (let i = 0; i < c.length; i++) peak = Math.max(peak, Math.abs(c[i]));
      if (gainToDb(peak) < SILENT_DB) return { error: 'it is silent' };
      const rate = wantedRate ?? sampleRate;
      const out = rate === sampleRate ? channels : await Promise.all(channels.map(c => resample(c, sampleRate, rate)));
      return Comlink.transfer(
        { sampleRate: rate, channels: out },
        out.map(c => c.buffer),
      );
    } catch (error) {
      if (error instanceof AudioFileError) return { error: error.message };
      throw error;
    }
  },

  write(channels: Float32Array[], sampleRate: number, format: SampleFormat): Uint8Array {
    const bytes = writeWav({ sampleRate, channels }, { format });
    return Comlink.transfer(bytes, [bytes.buffer]);
  },
};
export type FilesJob = typeof job;

async function resample(x: Float32Array, from: number, to: number): Promise<Float32Array> {
  const converter = await create(1, from, to, { converterType: ConverterType.SRC_SINC_BEST_QUALITY });
  try {
    return converter.full(x);
  } finally {
    converter.destroy();
  }
}

Comlink.expose(job);
