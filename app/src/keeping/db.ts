import Dexie, { type Table } from 'dexie';
import type { NoteFacts, Reading } from '@essim/core';
import type { Packed } from './packing';

/** A song's document as it stands, with where its journal is. */
export interface SongRow {
  id: string;
  name: string;
  /** Document as plain data; validated when it is read. */
  document: unknown;
  /** How many journal entries are done. */
  cursor: number;
  /** Counts up with every write, so that a tab sees when another has written. */
  revision?: number;
  /** Recordings that the document or its journal name. Absent in older rows: the journal is looked through. */
  needs?: string[];
  /** Length when it was last open, s. */
  seconds?: number;
  createdAt: number;
  changedAt: number;
  /** Set while a deletion can still be undone. */
  deletedAt?: number;
}

/** One undoable step in its stored form; older rows hold a command and its inverse instead. */
export interface JournalRow {
  songId: string;
  index: number;
  entry?: unknown;
}

/** A journal that could not be read, kept as it was. */
export interface SetAsideRow {
  id?: number;
  songId: string;
  at: number;
  rows: unknown[];
}

/** What aligning found, by its name; see core's alignments.ts. */
export interface AlignmentRow {
  id: string;
  alignment: unknown;
}

/** Recorded audio, immutable, named by the SHA-256 of its samples. */
export interface SourceRow {
  id: string;
  name: string;
  sampleRate: number;
  packed?: Packed[];
  /** Of rows from before samples were packed. */
  channels?: Float32Array[];
  /** What the file was: "24-bit WAV at 44.1 kHz"; absent in older rows. */
  origin?: string;
  /** What it takes in storage. */
  bytes?: number;
}

/** What a recording is, in a table of its own so that nobody loads samples to show a name. */
export interface SourceFacts {
  id: string;
  name: string;
  origin?: string;
  channelCount: number;
}

export const factsOf = (row: SourceRow): SourceFacts => ({
  id: row.id,
  name: row.name,
  ...(row.origin ? { origin: row.origin } : {}),
  channelCount: (row.packed ?? row.channels ?? []).length,
});

/** A piece of a recording that is being made, kept so that nothing sung is lost if the tab dies. */
export interface RecordedRow {
  id?: number;
  songId: string;
  trackId: string;
  /** One recording; its rounds become takes. */
  sessionId: string;
  round: number;
  /** Song sample of the first, latency not yet taken off. */
  position: number;
  /** Latency to take off, samples. */
  latency: number;
  sampleRate: number;
  samples: Float32Array;
}

/** A reading kept so that it need not be made again; may be dropped at any time. */
export interface ReadingRow {
  /** source, range and version of the code. */
  key: string;
  reading: Reading;
  /** What its notes were found to be, with the corrections of then. */
  facts?: KeptFacts;
}

/** What a take's notes were found to be by a reading with some corrections, so that they can be shown before it is prepared again. */
export interface KeptFacts {
  /** The corrections, as text. */
  of: string;
  notes: NoteFacts[];
}

/** How a song is listened to; validated when it is read. */
export interface ListeningRow {
  songId: string;
  listening: unknown;
}

class EssimDatabase extends Dexie {
  songs!: Table<SongRow, string>;
  journal!: Table<JournalRow, [string, number]>;
  sources!: Table<SourceRow, string>;
  readings!: Table<ReadingRow, string>;
  recorded!: Table<RecordedRow, number>;
  facts!: Table<SourceFacts, string>;
  listening!: Table<ListeningRow, string>;
  alignments!: Table<AlignmentRow, string>;
  setAside!: Table<SetAsideRow, number>;

  /** Another tab has a newer version of Essim: nothing can be saved from here any more. */
  onOutdated = (): void => {};
  /** Another tab with an older version still has the store open. */
  onBlocked = (): void => {};

  constructor() {
    super('essim');
    this.version(1).stores({
      songs: 'id, changedAt',
      journal: '[songId+index], songId',
      sources: 'id',
      readings: 'key',
    });
    this.version(2)
      .stores({ sources: 'id, bytes', recorded: '++id, songId, sessionId' })
      .upgrade(tx =>
        tx
          .table<SourceRow>('sources')
          .toCollection()
          .modify(row => {
            row.bytes = row.channels?.reduce((s, c) => s + c.byteLength, 0);
          }),
      );
    this.version(3)
      .stores({ facts: 'id' })
      .upgrade(async tx => {
        const facts: SourceFacts[] = [];
        await tx.table<SourceRow>('sources').each(row => void facts.push(factsOf(row)));
        await tx.table<SourceFacts>('facts').bulkPut(facts);
      });
    this.version(4).stores({ listening: 'songId' });
    this.version(5).stores({ alignments: 'id', setAside: '++id, songId' });
    // recordings are packed from here on, which an older Essim in another tab must not meet
    this.version(6).stores({});
    // and from here on coded
    this.version(7).stores({});
    // a newer Essim in another tab wants to lay the store out anew: it is let go of, and this one must not write into what it becomes
    this.on('versionchange', ({ newVersion }) => {
      this.close();
      if (newVersion) this.onOutdated();
      return false;
    });
    this.on('blocked', () => this.onBlocked());
  }
}

export const db = new EssimDatabase();
