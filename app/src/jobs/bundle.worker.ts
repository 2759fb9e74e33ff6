import './flac-code';
import * as Comlink from 'comlink';
import { recording } from '../keeping/recordings';
import { dropSources, keepSource, sourceFacts, sourceName } from '../keeping/sources';
import { BundleError, openBundle, writeBundle, type Song, type StoredHistory } from '@essim/core';
import { withRecordings } from '../keeping/locks';

/** Writes and opens bundles; whole recordings never pass the page. */
const job = {
  /** @throws Error when a recording cannot be had */
  async write(
    song: Song,
    midi: Record<string, Uint8Array>,
    stop: Int32Array,
    onProgress: (share: number) => void,
    history: StoredHistory | null,
  ): Promise<Blob> {
    // the browser keeps blobs out of the way; what is written is not held here
    const pieces: Blob[] = [];
    await writeBundle(
      song,
      id => recording(song.id, id),
      midi,
      bytes => void pieces.push(new Blob([bytes as Uint8Array<ArrayBuffer>])),
      share => {
        if (Atomics.load(stop, 0)) throw new Error('stopped');
        onProgress(share);
      },
      history,
    );
    return new Blob(pieces, { type: 'application/zip' });
  },

  /** Looks a bundle through and keeps its recordings; nothing is kept of one that is refused. @returns its document, or why not */
  open(file: Blob, onProgress: (share: number) => void): Promise<OpenedSong> {
    return withRecordings(() => opened(file, onProgress));
  },
};
export type BundleJob = typeof job;

interface OpenedSong {
  song?: Song;
  /** Its undo history, where one came along, or why that cannot be used. */
  history?: StoredHistory | null;
  unusable?: string | null;
  refused?: string;
}

async function opened(file: Blob, onProgress: (share: number) => void): Promise<OpenedSong> {
  const added: string[] = [];
  try {
    const { song, ids, recording, history, unusable } = await openBundle(
      {
        size: file.size,
        read: async (from, length) => new Uint8Array(await file.slice(from, from + length).arrayBuffer()),
      },
      sourceName,
    );
    for (const [i, id] of ids.entries()) {
      onProgress(i / ids.length);
      const { name, sampleRate, channels, origin } = await recording(id);
      if (!(await sourceFacts(id))) added.push(id);
      await keepSource(name, sampleRate, channels, origin);
    }
    return { song, history, unusable };
  } catch (error) {
    // what was kept of it goes again
    await dropSources(added);
    if (error instanceof BundleError) return { refused: error.message };
    throw error;
  }
}

Comlink.expose(job);
