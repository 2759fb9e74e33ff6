import * as Comlink from 'comlink';
import { comparePerformances, mixDown, type ChannelChoice, type Sameness } from '@essim/core';
import { chosenChannels } from '@essim/core';
import { recording } from '../keeping/recordings';
import { cachedReading, cacheReading, keepFacts, keepSource, keptTake } from '../keeping/sources';
import { rateOf } from '../sound-files/decode';
import { shared } from '../shared-memory';
import {
  failureOf,
  originOf,
  readSoundFile,
  type ImportedAudio,
  type ImportFailure,
  type SoundFacts,
} from '../sound-files/sound-file';

/** A file whose samples are in the database. */
export interface KeptAudio extends Omit<ImportedAudio, 'channels'> {
  sourceId: string;
  channelCount: number;
  seconds: number;
}

/** What became of a file that should take a recording's place. */
export interface ComparedFile {
  same: Sameness;
  /** Of the kept file; absent when it is another performance. */
  kept?: { sourceId: string; seconds: number };
}

/** Reads, keeps, loads and writes recordings off the main thread; whole recordings never pass the page. */
const job = {
  /** Rate of a file, from its header. */
  async rate(file: Blob): Promise<number | ImportFailure> {
    try {
      return await rateOf(file);
    } catch (error) {
      return failureOf(error);
    }
  },

  /** Reads a file and keeps its samples in the database. @param onRead gets them in shared memory before @throws when storage is full */
  async readAndKeep(
    file: Blob,
    name: string,
    rate: number,
    onProgress: (share: number) => void,
    onRead: ((channels: Float32Array[], sound: SoundFacts) => void) | null,
  ): Promise<KeptAudio | ImportFailure> {
    const read = await readSoundFile(file, rate, onProgress);
    if ('error' in read) return read;
    const { channels, ...facts } = read;
    onRead?.(channels.map(shared), read.sound);
    const sourceId = await keepSource(name, read.sampleRate, channels, originOf(read));
    return { ...facts, sourceId, channelCount: channels.length, seconds: channels[0].length / read.sampleRate };
  },

  /** Keeps samples that were made or recorded here. @returns their name @throws when storage is full */
  keep(name: string, rate: number, channels: Float32Array[], origin?: string): Promise<string> {
    return keepSource(name, rate, channels, origin);
  },

  /** A recording's chosen channels in shared memory. @throws when it is nowhere to be had */
  async load(songId: string, sourceId: string, choice: ChannelChoice): Promise<Float32Array[]> {
    const { channels } = await recording(songId, sourceId);
    return chosenChannels(channels, choice).map(shared);
  },

  /** The same in memory of its own, to be handed on to whoever reads it and ends: shared memory that is let go of is not cleared away for long. */
  async loadAlone(songId: string, sourceId: string, choice: ChannelChoice): Promise<Float32Array[]> {
    const channels = (await job.load(songId, sourceId, choice)).map(c => c.slice());
    return Comlink.transfer(
      channels,
      channels.map(c => c.buffer),
    );
  },

  cachedReading,
  cacheReading,
  keptTake,
  keepFacts,

  /** Keeps the first channels of two recordings as one of two channels. @returns its name */
  async link(name: string, sourceIds: [string, string]): Promise<string> {
    const [a, b] = await Promise.all(sourceIds.map(id => recording('', id)));
    const length = Math.max(a.channels[0].length, b.channels[0].length);
    const channels = [a, b].map(s => {
      const c = new Float32Array(length);
      c.set(s.channels[0]);
      return c;
    });
    return keepSource(name, a.sampleRate, channels, a.origin);
  },

  /** Compares a file with the recording it should replace, and keeps it when it holds the same performance. */
  async compare(
    file: Blob,
    name: string,
    rate: number,
    before: { songId: string; sourceId: string; channels: ChannelChoice },
  ): Promise<ComparedFile | ImportFailure> {
    const read = await readSoundFile(file, rate);
    if ('error' in read) return read;
    const old = await recording(before.songId, before.sourceId);
    const [was, is] = [old.channels, read.channels].map(c => mixDown(chosenChannels(c, before.channels)));
    const same = comparePerformances(was, is, rate);
    if (!same.same) return { same };
    const sourceId = await keepSource(name, rate, read.channels, originOf(read));
    return { same, kept: { sourceId, seconds: read.channels[0].length / rate } };
  },
};
export type FilesJob = typeof job;

Comlink.expose(job);
