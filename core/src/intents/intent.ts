import type { FoundAlignment, ScopePart, Song, TieMark, Track } from '../song';
import { countedSyllables, type Score, type TrackNote, type TrackSyllable, type TrackView } from '../score';
import type { HeardSeconds, Span } from '../units';
import type { Argument, Values } from './arguments';

/** A command that cannot be done as things stand; the message says why, for the user. Nothing was changed. */
export class Refused extends Error {
  override name = 'Refused';
}

/** Notes of one track that a command acts on; of each all, or what a span cuts out of it. */
export interface TargetTrack {
  track: Track;
  parts: readonly ScopePart[];
}

/** What a command acts on. Made from a selection or from a recipe's "on"; no command finds its own targets. */
export interface Target {
  tracks: readonly TargetTrack[];
  /** A chosen stretch of the song, which may cut through notes. */
  span: Span<HeardSeconds> | null;
  /** Nobody pointed at these notes: a phrase, a track, all of a kind. Pinned ones then stay as they are. */
  broad: boolean;
}

/** Everything a command may know. */
export interface Stage {
  score: Score;
  target: Target;
  /** Names for new records. */
  newId(): string;
  /** Keeps the sound of a track as edited as a recording of its own. Absent where no sound is at hand. @returns its name */
  bounce?(track: Track): Promise<string>;
  /** What time it is, ms since 1970; absent where the same work has to make the same file. */
  now?: number;
  /** Finds where a follower belongs in its lead: a job over their sound. Absent where no sound is at hand. */
  findAlignment?(follower: Track, ties: readonly TieMark[]): Promise<FoundAlignment>;
}

/** What a command makes of a song. */
export interface Acted {
  /** For the undo list: "Settle 14 notes". */
  label: string;
  song: Song;
}

/** What a command acts on, in words for lists and help. */
export type ActsOn = 'notes' | 'span' | 'tracks' | 'song';

/**
 * Something that can be done to a song, described once. Desks, keys, the command list, recipes and the command line all read this; none
 * of them has logic of its own.
 */
export interface Intent {
  /** As recipes write it. */
  name: string;
  title: string;
  about: string;
  on: ActsOn;
  args: readonly Argument[];
  /** Whether it looks at the sound itself, so that it may take a while. */
  listens?: boolean;
  /** Whether it needs its tracks read though it does not act on their notes. */
  reads?: boolean;
  /** Whether it goes by what is heard now, of its tracks and of all that sound with them. */
  hears?: boolean;
  /** Another track, by name or role, that it looks at. */
  also?(args: Values): string | undefined;
  /** @throws Refused with the reason; DocumentError when the result would be out of bounds */
  act(stage: Stage, args: Values): Acted | Promise<Acted>;
}

/** The tracks a command acts on. @throws Refused when there are none */
export function tracksMeant({ target }: Pick<Stage, 'target'>): Track[] {
  if (!target.tracks.length) throw new Refused('no track is meant');
  return target.tracks.map(t => t.track);
}

/** The same, where what was read is cut anew: a part's reading is its lead's. @throws Refused for a part */
export function ownReading(track: Track): Track {
  if (track.part) throw new Refused(`${track.name} is a part: what is read of it belongs to its lead`);
  return track;
}

/** A note a command acts on, or a syllable, sung or spoken. */
export interface TargetNote<Of extends TrackSyllable = TrackNote> {
  track: Track;
  note: Of;
  part: ScopePart;
}
export type TargetSyllable = TargetNote<TrackSyllable>;

const touched = <Of extends TrackSyllable>(
  { score, target }: Pick<Stage, 'score' | 'target'>,
  of: (view: TrackView) => readonly Of[],
): TargetNote<Of>[] =>
  target.tracks.flatMap(({ track, parts }) => {
    const meant = new Map(parts.map(p => [p.key, p]));
    return of(score.view(track.id)).flatMap(note => {
      const part = meant.get(note.key);
      return part ? [{ track, note, part }] : [];
    });
  });

/** The notes of a target, those of which a span holds only a little too. */
export const touchedNotes = (stage: Pick<Stage, 'score' | 'target'>): TargetNote[] => touched(stage, v => v.notes);

/** The same, those of which a span holds only a lesser part left out. */
export const notesOf = (stage: Pick<Stage, 'score' | 'target'>): TargetNote[] =>
  touchedNotes(stage).filter(t => t.part.mostly);

/** The same with what is spoken: for what has no need of a pitch. */
export const touchedSyllables = (stage: Pick<Stage, 'score' | 'target'>): TargetSyllable[] =>
  touched(stage, v => v.syllables);
export const meantSyllables = (stage: Pick<Stage, 'score' | 'target'>): TargetSyllable[] =>
  touchedSyllables(stage).filter(t => t.part.mostly);

/** @example "3 notes", and "3 syllables" where some of them are spoken */
export const countedOf = (list: readonly TargetSyllable[]): string => countedSyllables(list.map(t => t.note));
