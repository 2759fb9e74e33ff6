import * as Comlink from 'comlink';
import {
  chosenChannels,
  comparePerformances,
  mixDown,
  packSamples,
  type ChannelChoice,
  type Sameness,
  type Samples,
} from '@essim/core';
import { heldRecording, recording } from '../keeping/recordings';
import { cachedReading, cacheReading, keepFacts, keepHeld, keepSource, keptTake } from '../keeping/sources';
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
  /** Its channels as they are held, in shared memory; of one whose samples were asked for while it was kept. */
  held?: Samples[];
}

/** Gets samples that are handed over, and is waited for. */
export type OnRead = (channels: Float32Array[], sound: SoundFacts) => Promise<void> | undefined;

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

  /** Reads a file and keeps its samples in the database. @param onRead gets a copy of its own before, and is waited for @throws when storage is full */
  async readAndKeep(
    file: Blob,
    name: string,
    rate: number,
    onProgress: (share: number) => void,
    onRead: OnRead | null,
  ): Promise<KeptAudio | ImportFailure> {
    const read = await readSoundFile(file, rate, onProgress);
    if ('error' in read) return read;
    const { channels, ...facts } = read;
    await onRead?.(handed(channels.map(c => c.slice())), read.sound);
    const { id, each } = await keepHeld(name, read.sampleRate, channels, originOf(read));
    return {
      ...facts,
      sourceId: id,
      channelCount: channels.length,
      seconds: channels[0].length / read.sampleRate,
      ...(onRead ? { held: each.map(shared) } : {}),
    };
  },

  /** Keeps samples that were made or recorded here. @returns their name @throws when storage is full */
  keep(name: string, rate: number, channels: Float32Array[], origin?: string): Promise<string> {
    return keepSource(name, rate, channels, origin);
  },

  /** A recording's chosen channels as they are held, in shared memory. @throws when it is nowhere to be had */
  async load(songId: string, sourceId: string, choice: ChannelChoice): Promise<Samples[]> {
    const chosen = chosenChannels(await heldRecording(songId, sourceId), choice);
    // what was mixed of them is not packed yet
    return chosen.map(c => shared(c instanceof Float32Array ? packSamples(c) : c));
  },

  /** The same as floats in memory of their own, to be handed on to whoever reads them and ends: shared memory that is let go of is not cleared away for long. */
  async loadAlone(songId: string, sourceId: string, choice: ChannelChoice): Promise<Float32Array[]> {
    const { channels } = await recording(songId, sourceId);
    return handed(chosenChannels(channels, choice));
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

const handed = (channels: Float32Array[]): Float32Array[] =>
  Comlink.transfer(
    channels,
    channels.map(c => c.buffer),
  );

Comlink.expose(job);
