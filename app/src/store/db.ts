import Dexie, { type Table } from 'dexie';
import type { Reading } from '@essim/core';

/** A song's document as it stands, with where its journal is. */
export interface SongRow {
  id: string;
  name: string;
  /** Document as plain data; validated when it is read. */
  document: unknown;
  /** How many journal entries are done. */
  cursor: number;
  createdAt: number;
  changedAt: number;
  /** Set while a deletion can still be undone. */
  deletedAt?: number;
}

/** One undoable step: stored forms of a command and its inverse. */
export interface JournalRow {
  songId: string;
  index: number;
  command: unknown;
  inverse: unknown;
}

/** Recorded audio, immutable, named by the SHA-256 of its samples. */
export interface SourceRow {
  id: string;
  name: string;
  sampleRate: number;
  channels: Float32Array[];
}

/** A reading kept so that it need not be made again; may be dropped at any time. */
export interface ReadingRow {
  /** source, range and version of the code. */
  key: string;
  reading: Reading;
}

class EssimDatabase extends Dexie {
  songs!: Table<SongRow, string>;
  journal!: Table<JournalRow, [string, number]>;
  sources!: Table<SourceRow, string>;
  readings!: Table<ReadingRow, string>;

  constructor() {
    super('essim');
    this.version(1).stores({
      songs: 'id, changedAt',
      journal: '[songId+index], songId',
      sources: 'id',
      readings: 'key',
    });
  }
}

export const db = new EssimDatabase();
