import * as Comlink from 'comlink';
import { recording } from '../store/recordings';
import { dropSources, keepSource, sourceFacts, sourceName } from '../store/sources';
import type { Song } from '@essim/core';
import { BundleError, openBundle, writeBundle } from './bundle';

/** Writes and opens bundles; whole recordings never pass the page. */
const job = {
  /** @throws Error when a recording cannot be had */
  write(
    song: Song,
    midi: Record<string, Uint8Array>,
    stop: Int32Array,
    onProgress: (share: number) => void,
  ): Promise<Blob> {
    return writeBundle(
      song,
      id => recording(song.id, id),
      midi,
      share => {
        if (Atomics.load(stop, 0)) throw new Error('stopped');
        onProgress(share);
      },
    );
  },

  /** Looks a bundle through and keeps its recordings; nothing is kept of one that is refused. @returns its document, or why not */
  async open(file: Blob, onProgress: (share: number) => void): Promise<{ song?: Song; refused?: string }> {
    const added: string[] = [];
    try {
      const { song, ids, recording } = await openBundle(file, sourceName);
      for (const [i, id] of ids.entries()) {
        onProgress(i / ids.length);
        const { name, sampleRate, channels, origin } = await recording(id);
        if (!(await sourceFacts(id))) added.push(id);
        await keepSource(name, sampleRate, channels, origin);
      }
      return { song };
    } catch (error) {
      // what was kept of it goes again
      await dropSources(added);
      if (error instanceof BundleError) return { refused: error.message };
      throw error;
    }
  },
};
export type BundleJob = typeof job;

Comlink.expose(job);
