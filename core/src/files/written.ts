import type { Key, TempoMap } from '../music';
import type { HeardSeconds, Midi, Span } from '../units';

/** A song as it is written down: what its voices sing, where it is heard. Pitches count from A4 = 440 Hz. */

export interface WrittenNote extends Span<HeardSeconds> {
  /** The step it is meant for. */
  midi: Midi;
  /** The word it begins, with a hyphen at its end where it goes on; null on what is held. */
  word: string | null;
  /** 0..1, by how loud it is sung. */
  velocity: number;
  /** How far what is heard lies from its step: moments and cents by turns. */
  bend: readonly number[];
}

export interface WrittenPart {
  name: string;
  notes: WrittenNote[];
}

export interface WrittenSong {
  name: string;
  tempo: TempoMap | null;
  key: Key | null;
  chords: readonly { start: HeardSeconds; name: string }[];
  parts: WrittenPart[];
}
