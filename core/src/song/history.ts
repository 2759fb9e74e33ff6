import { commandFrom, type Command } from './commands';
import type { Song } from './document';
import { withParts } from './parts';

/** One undoable step as it is kept in the journal. */
export interface JournalEntry {
  command: Command;
  inverse: Command;
}

/** The journal's change for the store: entries from `from` on are replaced by these. */
export interface JournalChange {
  from: number;
  entries: JournalEntry[];
  cursor: number;
}

/**
 * A song with its journal. Immutable: every move returns a new history and what the store has to write. Undo and redo have no limit.
 */
export class History {
  constructor(
    readonly song: Song,
    readonly entries: readonly JournalEntry[] = [],
    /** How many entries are done; those after it can be redone. */
    readonly cursor = entries.length,
  ) {}

  do(command: Command): { history: History; change: JournalChange } {
    const song = withParts(command.apply(this.song));
    const last = this.entries[this.cursor - 1];
    const merged = last && this.cursor === this.entries.length ? last.command.merge(command) : null;
    const from = merged ? this.cursor - 1 : this.cursor;
    // the inverse of a merged pair undoes the older state of everything either touched
    const entry: JournalEntry = merged
      ? { command: merged, inverse: merged.invert(last.inverse.apply(this.song)) }
      : { command, inverse: command.invert(this.song) };
    const history = new History(song, [...this.entries.slice(0, from), entry]);
    return { history, change: { from, entries: [entry], cursor: from + 1 } };
  }

  get canUndo(): boolean {
    return this.cursor > 0;
  }
  get canRedo(): boolean {
    return this.cursor < this.entries.length;
  }

  undo(): { history: History; change: JournalChange; label: string } | null {
    if (!this.canUndo) return null;
    const entry = this.entries[this.cursor - 1];
    return this.moved(entry.inverse.apply(this.song), this.cursor - 1, entry.command.label);
  }

  redo(): { history: History; change: JournalChange; label: string } | null {
    if (!this.canRedo) return null;
    const entry = this.entries[this.cursor];
    return this.moved(entry.command.apply(this.song), this.cursor + 1, entry.command.label);
  }

  private moved(song: Song, cursor: number, label: string) {
    return {
      history: new History(withParts(song), this.entries, cursor),
      change: { from: this.entries.length, entries: [], cursor },
      label,
    };
  }
}

/** Stored form of an entry, and back. */
export const storedEntry = (e: JournalEntry): { command: object; inverse: object } => ({
  command: e.command.toJSON(),
  inverse: e.inverse.toJSON(),
});
export const entryFrom = (s: { command: unknown; inverse: unknown }): JournalEntry => ({
  command: commandFrom(s.command),
  inverse: commandFrom(s.inverse),
});
