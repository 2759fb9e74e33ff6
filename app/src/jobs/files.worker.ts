import * as Comlink from 'comlink';
import {
  AudioFileError,
  comparePerformances,
  composeClips,
  gainToDb,
  mixDown,
  writeWav,
  type Clip,
  type Sameness,
  type SampleFormat,
} from '@essim/core';
import { keepSource } from '../store/sources';
import { decode, rateOf, type DecodedFile } from './decode';
import { resample } from './resample';

/** A file as a song takes it: at the song's rate. */
export interface ImportedAudio extends DecodedFile {
  /** Rate of the file itself. */
  fileRate: number;
  sound: SoundFacts;
}

/** A file whose samples are in the database. */
export interface KeptAudio extends Omit<ImportedAudio, 'channels'> {
  sourceId: string;
  channelCount: number;
  seconds: number;
}

/** What the samples tell of a recording. */
export interface SoundFacts {
  peakDb: number;
  /** Level of each channel, dB. */
  channelDb: number[];
  /** Correlation of left and right, -1..1; 1 for one channel. */
  correlation: number;
}

/** A file that could not be read; errors do not cross threads with their class, so they travel as data. */
export interface ImportFailure {
  error: string;
}

const SILENT_DB = -90;

const failure = (error: unknown): ImportFailure => {
  if (error instanceof AudioFileError) return { error: error.message };
  if (error instanceof RangeError) return { error: 'there is not enough memory for it' };
  throw error;
};

/** Reads and writes sound files off the main thread. */
const job = {
  /** Rate of a file, from its header. */
  async rate(file: Blob): Promise<number | ImportFailure> {
    try {
      return await rateOf(file);
    } catch (error) {
      return failure(error);
    }
  },

  /** Reads a sound file, at a song's rate when one is given. */
  async read(
    file: Blob,
    wantedRate: number | null,
    onProgress: (share: number) => void = () => {},
  ): Promise<ImportedAudio | ImportFailure> {
    try {
      const decoded = await decode(file, share => onProgress(share * 0.4));
      const { channels, sampleRate } = decoded;
      if (channels.length > 2) return { error: `it has ${channels.length} channels; Essim takes one and two channels` };
      const sound = factsOf(channels);
      if (sound.peakDb < SILENT_DB) return { error: 'it is silent' };
      const rate = wantedRate ?? sampleRate;
      const out: Float32Array[] = [];
      for (const [i, c] of channels.entries())
        out.push(await resample(c, sampleRate, rate, share => onProgress(0.4 + (0.6 * (i + share)) / channels.length)));
      return Comlink.transfer(
        { ...decoded, channels: out, sampleRate: rate, fileRate: sampleRate, sound },
        out.map(c => c.buffer),
      );
    } catch (error) {
      return failure(error);
    }
  },

  /** Reads a file and keeps its samples in the database at once: they never burden the page. @throws when storage is full */
  async readAndKeep(
    file: Blob,
    name: string,
    rate: number,
    onProgress: (share: number) => void,
  ): Promise<KeptAudio | ImportFailure> {
    const read = await job.read(file, rate, onProgress);
    if ('error' in read) return read;
    const { channels, ...facts } = read;
    const sourceId = await keepSource(name, read.sampleRate, channels, `${read.format} at ${read.fileRate / 1000} kHz`);
    return { ...facts, sourceId, channelCount: channels.length, seconds: channels[0].length / read.sampleRate };
  },

  /** Whether a new file holds an old recording's performance. */
  compare(before: Float32Array[], after: Float32Array[], sampleRate: number): Sameness {
    return comparePerformances(mixDown(before), mixDown(after), sampleRate);
  },

  /** Joins a comp's rendered takes into one track from the song's zero. */
  compose(clips: Clip[], sources: [string, Float32Array[]][], sampleRate: number, length: number): Float32Array[] {
    const out = composeClips(clips, new Map(sources), sampleRate, length);
    return Comlink.transfer(
      out,
      out.map(c => c.buffer),
    );
  },

  write(channels: Float32Array[], sampleRate: number, format: SampleFormat): Uint8Array {
    const bytes = writeWav({ sampleRate, channels }, { format });
    return Comlink.transfer(bytes, [bytes.buffer]);
  },
};
export type FilesJob = typeof job;

function factsOf(channels: Float32Array[]): SoundFacts {
  let peak = 0;
  const energy = channels.map(c => {
    let e = 0;
    for (let i = 0; i < c.length; i++) {
      peak = Math.max(peak, Math.abs(c[i]));
      e += c[i] * c[i];
    }
    return e;
  });
  let both = 0;
  const [l, r] = channels;
  if (r) for (let i = 0; i < l.length; i++) both += l[i] * r[i];
  return {
    peakDb: gainToDb(peak),
    channelDb: energy.map(e => gainToDb(Math.sqrt(e / channels[0].length))),
    correlation: r ? both / Math.sqrt(energy[0] * energy[1] + 1e-12) : 1,
  };
}

Comlink.expose(job);
