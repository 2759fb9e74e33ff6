import type { Midi, Span, TakeSeconds } from '../units';
import type { SplitTake } from './split';

/** A note as commands and the field know it. */
export interface NoteFacts {
  /** Names it among its take's notes as they are read now; nothing that is kept holds it. */
  key: string;
  start: TakeSeconds;
  end: TakeSeconds;
  /** When it is heard to begin. */
  onset: TakeSeconds;
  /** Its centre as sung. */
  sung: Midi;
  /** Whether it is sung on from the note before it, so that there is a glide between them. */
  joined?: boolean;
  /** Whether it swings regularly. */
  vibrato?: boolean;
  /** What of it is neither way in nor way out: what the ear takes for its pitch. */
  body?: Span<TakeSeconds>;
}

/** @example noteKey({ start: 1.25 }) // 'n1250' */
export const noteKey = (note: { start: TakeSeconds }): string => `n${Math.round(note.start * 1000)}`;

/** Facts of every note of a take, centres from the movement split. */
export const noteFacts = (take: SplitTake): NoteFacts[] =>
  take.reading.notes.map((n, i) => ({
    key: noteKey(n),
    start: n.start,
    end: n.end,
    onset: n.onset,
    sung: take.notes[i].centre / 100,
    joined: take.notes[i].joinedIn,
    vibrato: take.notes[i].vibratoShape !== null,
    body: { start: take.notes[i].bodyStart * take.reading.hop, end: take.notes[i].bodyEnd * take.reading.hop },
  }));
