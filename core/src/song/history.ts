import { DocumentError } from './check';
import type { Song } from './document';
import { Step } from './step';

/** One entry of the journal: a step, its inverse, and what they were. */
export interface JournalEntry {
  /** For the undo list: "Settle 14 notes". */
  label: string;
  /** What kind of change it was; entries of one kind that follow each other at once are one. Null: always one of its own. */
  kind: string | null;
  /** When it was last added to, ms since 1970. */
  time: number;
  step: Step;
  inverse: Step;
}

/** The journal's change for the store: entries from `from` on are replaced by these. */
export interface JournalChange {
  from: number;
  entries: JournalEntry[];
  cursor: number;
}

export interface Moved {
  history: History;
  change: JournalChange;
  label: string;
}

/** Changes of one kind within so long of each other are one entry, ms. */
export const TOGETHER_MS = 1200;

/**
 * A song with its journal. Immutable: every move returns a new history and what the store has to write. Undo and redo have no limit.
 * Which changes make one entry is decided here, by their kind and time alone, so that a reload changes nothing about it.
 */
export class History {
  constructor(
    readonly song: Song,
    readonly entries: readonly JournalEntry[] = [],
    /** How many entries are done; those after it can be redone. */
    readonly cursor = entries.length,
  ) {}

  /**
   * Makes a state of the song the present one.
   * @param after made of this history's song by changing what is to change
   * @returns null when it is the same: nothing is journalled then
   * @throws DocumentError when it is out of bounds; the history stays as it is
   */
  to(
    label: string,
    after: Song,
    { kind = null, time = Date.now() }: { kind?: string | null; time?: number } = {},
  ): Moved | null {
    const step = Step.between(this.song, after);
    if (!step) return null;
    step.check(after);
    const inverse = Step.between(after, this.song)!;
    const last = this.entries[this.cursor - 1] as JournalEntry | undefined;
    const goesOn =
      kind !== null &&
      last?.kind === kind &&
      this.cursor === this.entries.length &&
      Math.abs(time - last.time) <= TOGETHER_MS;
    if (!goesOn) return this.added(this.cursor, after, { label, kind, time, step, inverse });
    const start = last.inverse.apply(this.song);
    const whole = Step.between(start, after);
    // what was moved there and back leaves no entry
    if (!whole)
      return {
        history: new History(after, this.entries.slice(0, this.cursor - 1)),
        change: { from: this.cursor - 1, entries: [], cursor: this.cursor - 1 },
        label,
      };
    return this.added(this.cursor - 1, after, {
      label,
      kind,
      time,
      step: whole,
      inverse: Step.between(after, start)!,
    });
  }

  private added(from: number, song: Song, entry: JournalEntry): Moved {
    return {
      history: new History(song, [...this.entries.slice(0, from), entry]),
      change: { from, entries: [entry], cursor: from + 1 },
      label: entry.label,
    };
  }

  get canUndo(): boolean {
    return this.cursor > 0;
  }
  get canRedo(): boolean {
    return this.cursor < this.entries.length;
  }

  undo(): Moved | null {
    if (!this.canUndo) return null;
    const entry = this.entries[this.cursor - 1];
    return this.moved(entry.inverse.apply(this.song), this.cursor - 1, entry.label);
  }

  redo(): Moved | null {
    if (!this.canRedo) return null;
    const entry = this.entries[this.cursor];
    return this.moved(entry.step.apply(this.song), this.cursor + 1, entry.label);
  }

  private moved(song: Song, cursor: number, label: string): Moved {
    return {
      history: new History(song, this.entries, cursor),
      change: { from: this.entries.length, entries: [], cursor },
      label,
    };
  }
}

/** A journal as it is stored. */
export interface StoredHistory {
  /** How many entries are done. */
  cursor: number;
  entries: unknown[];
}

export const storedHistory = ({ entries, cursor }: Pick<History, 'entries' | 'cursor'>): StoredHistory => ({
  cursor,
  entries: entries.map(storedEntry),
});

/**
 * A song with a stored journal that came from outside: gone through from its end to its beginning and back, so that nothing of it fails
 * later. Cost: of all that was ever changed. @throws DocumentError when it is damaged, or another song's
 */
export function historyFrom(song: Song, stored: unknown): History {
  const { cursor, entries } = (stored ?? {}) as Record<string, unknown>;
  if (
    !Array.isArray(entries) ||
    !Number.isInteger(cursor) ||
    (cursor as number) < 0 ||
    (cursor as number) > entries.length
  )
    throw new DocumentError('an undo history is damaged');
  const history = new History(song, entries.map(entryFrom), cursor as number);
  let at = history;
  for (let moved = at.redo(); moved; moved = at.redo()) at = moved.history;
  for (let moved = at.undo(); moved; moved = at.undo()) at = moved.history;
  for (let moved = at.redo(); moved && at.cursor < history.cursor; moved = at.redo()) at = moved.history;
  return history;
}

/** An entry from its stored form. @throws DocumentError when it is none */
export function entryFrom(stored: unknown): JournalEntry {
  const { label, kind, time, step, inverse } = (stored ?? {}) as Record<string, unknown>;
  if (typeof label !== 'string' || typeof time !== 'number' || (kind !== null && typeof kind !== 'string'))
    throw new DocumentError('a journal entry is damaged');
  return { label, kind, time, step: Step.from(step), inverse: Step.from(inverse) };
}

export const storedEntry = ({ label, kind, time, step, inverse }: JournalEntry): object => ({
  label,
  kind,
  time,
  step: step.toJSON(),
  inverse: inverse.toJSON(),
});
