import type { Midi, Span, TakeSeconds } from '../units';
import type { SplitTake } from './split';

/** A vibrato as it was sung, delay counted from the note's onset. */
export interface SungVibrato {
  rateHz: number;
  /** From the middle to the top. */
  depthCents: number;
  delayMs: number;
  buildMs: number;
}

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
  /** How it swings, where it does regularly. */
  vibrato?: SungVibrato | null;
  /** What of it is neither way in nor way out: what the ear takes for its pitch. */
  body?: Span<TakeSeconds>;
}

/** @example noteKey({ start: 1.25 }) // 'n1250' */
export const noteKey = (note: { start: TakeSeconds }): string => `n${Math.round(note.start * 1000)}`;

function sungVibrato({ notes, reading }: SplitTake, i: number): SungVibrato | null {
  const shape = notes[i].vibratoShape;
  if (!shape) return null;
  const { start, onset } = reading.notes[i];
  return {
    rateHz: Math.round(shape.rate * 100) / 100,
    depthCents: Math.round(shape.depth),
    delayMs: Math.max(0, Math.round((shape.delay - (onset - start)) * 1000)),
    buildMs: Math.round(shape.build * 1000),
  };
}

/** Facts of every note of a take, centres from the movement split. */
export const noteFacts = (take: SplitTake): NoteFacts[] =>
  take.reading.notes.map((n, i) => ({
    key: noteKey(n),
    start: n.start,
    end: n.end,
    onset: n.onset,
    sung: take.notes[i].centre / 100,
    joined: take.notes[i].joinedIn,
    vibrato: sungVibrato(take, i),
    body: { start: take.notes[i].bodyStart * take.reading.hop, end: take.notes[i].bodyEnd * take.reading.hop },
  }));
