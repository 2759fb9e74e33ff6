import {
  joinedWords,
  type Alternative,
  nearestStep,
  stepMeant,
  wordOver,
  type Guide,
  type Key,
  type NoteEdit,
  type Phrase,
  type Reading,
  type Scale,
  type Song,
  type Span,
  type TrackView,
  type WholeTakeRecord,
} from '@essim/core';
import type { Dress } from './dress';
import type { Palette } from './palette';
import type { Layout, Viewport } from './viewport';

/** A note as it is drawn and grabbed. Times in song seconds. */
export interface SceneNote {
  key: string;
  from: number;
  to: number;
  /** When it is heard to begin. */
  onset: number;
  /** Centre as sung and where it is meant to be; MIDI. */
  sung: number;
  rail: number;
  /** What is still off the step it is meant for after the edit, cents; null without a target. */
  offCents: number | null;
  edit: NoteEdit | undefined;
  selected: boolean;
  /** Sung on from the note before it. */
  joined: boolean;
  word: string | null;
}

/** A spoken syllable as it is drawn and chosen: it has a place in time, but none in pitch. */
export interface SceneSyllable {
  key: string;
  from: number;
  to: number;
  edit: NoteEdit | undefined;
  selected: boolean;
  word: string;
}

/** A track that is looked at but not edited. */
export interface SceneLine {
  colour: keyof Palette;
  line: Float32Array;
}

/** Everything one frame of the field is drawn from. */
export interface Scene {
  layout: Layout;
  view: Viewport;
  palette: Palette;
  song: Song;
  duration: number;
  /** Keys with where they begin, in time order; the first begins at -Infinity. */
  keys: { from: number; key: Key | null; scale: Scale }[];
  /** Null while nothing is read. */
  reading: Reading | null;
  sungLine: Float32Array;
  line: Float32Array;
  /** What edits turn up or down, dB a frame; null where nothing is. */
  gainDb: Float32Array | null;
  notes: SceneNote[];
  spoken: SceneSyllable[];
  phrases: Phrase[];
  others: SceneLine[];
  loop: { from: number; to: number } | null;
  /** The chosen stretch. */
  span: Span | null;
  edited: boolean;
  /** Tunings kept side by side, where they are heard. */
  alternatives: readonly Alternative[];
  /** Stretches tuned without notes, where they are heard. */
  whole: readonly WholeTakeRecord[];
  /** The melody the edited track is meant to sing. */
  guide: Guide | null;
  /** Of the edited track's line. */
  colour: keyof Palette;
  /** What the desk draws besides. */
  dress: Dress;
}

export interface SceneNotesInput {
  facts: readonly (Span & { key: string; sung: number; onset: number; joined?: boolean })[];
  edits: Readonly<Record<string, NoteEdit>>;
  words: readonly { start: number; end: number; text: string }[];
  selected: ReadonlySet<string>;
  scaleAt: (seconds: number) => Scale;
  /** Both lines where more than the notes' edits moves them, as in a follower that leans: what is still off is then read from these. */
  lines?: { sung: Float32Array; now: Float32Array; hop: number };
}

/** Joins facts, edits and words into drawable notes. */
export function sceneNotes({ facts, edits, words, selected, scaleAt, lines }: SceneNotesInput): SceneNote[] {
  const taken = new Set<object>();
  return facts.map(n => {
    const edit = edits[n.key];
    const { rail, offCents } = placed(n, edit, scaleAt(n.start), lines ? movedBy(lines, n) : null);
    const word = wordOver(words, n);
    // held over several notes it is written under the first
    const first = word && !taken.has(word);
    if (first) taken.add(word);
    return {
      key: n.key,
      from: n.start,
      to: n.end,
      onset: n.onset,
      sung: n.sung,
      rail,
      offCents,
      edit,
      selected: selected.has(n.key),
      joined: !!n.joined,
      word: first ? word.text : null,
    };
  });
}

type Fact = SceneNotesInput['facts'][number];
type Placed = Pick<SceneNote, 'rail' | 'offCents'>;
const places = new WeakMap<Fact, Placed & { edit: NoteEdit | undefined; scale: Scale; moved: number | null }>();
/** Where a note's rail is, and by how much it is off; looked up anew only when something of it changed. @param moved by more than its edit */
function placed(n: Fact, edit: NoteEdit | undefined, scale: Scale, moved: number | null): Placed {
  const known = places.get(n);
  if (known && known.edit === edit && known.scale === scale && known.moved === moved) return known;
  const rail = edit?.target ?? nearestStep(scale, n.sung * 100) / 100;
  const edited = edit?.target === undefined ? 0 : (edit.target - n.sung) * ((edit.aim ?? 100) / 100);
  const offCents = Math.round((n.sung + (moved ?? edited) - stepMeant(scale, rail)) * 100);
  const now = { rail, offCents, edit, scale, moved };
  places.set(n, now);
  return now;
}

/** What is spoken, as it is drawn. */
export const sceneSpoken = (
  { syllables, edits, words }: Pick<TrackView, 'syllables' | 'edits' | 'words'>,
  selected: ReadonlySet<string>,
): SceneSyllable[] =>
  syllables
    .filter(n => n.spoken)
    .map(n => ({
      key: n.key,
      from: n.start,
      to: n.end,
      edit: edits[n.key] as NoteEdit | undefined,
      selected: selected.has(n.key),
      word: wordOver(words, n)?.text ?? '',
    }));

/** Keys of what is chosen, sung or spoken. */
export const chosenIn = ({ notes, spoken }: Pick<Scene, 'notes' | 'spoken'>): Set<string> =>
  new Set([...notes, ...spoken].filter(n => n.selected).map(n => n.key));

/** Semitones by which a note's line lies over what was sung, over its middle; null where it is not known. */
function movedBy(
  { sung, now, hop }: NonNullable<SceneNotesInput['lines']>,
  { start, end }: { start: number; end: number },
): number | null {
  let sum = 0;
  let count = 0;
  const edge = 0.2 * (end - start);
  for (let k = Math.ceil((start + edge) / hop); k < (end - edge) / hop; k++) {
    const by = now[k] - sung[k];
    if (!(Math.abs(by) < 60)) continue;
    sum += by;
    count++;
  }
  return count ? sum / count : null;
}

/** Words of each phrase in a line: "leave a lamp for me tonight". */
export const phraseText = (
  phrase: { start: number; end: number },
  words: readonly { start: number; end: number; text: string }[],
): string =>
  joinedWords(
    words.filter(w => (w.start + w.end) / 2 >= phrase.start - 0.2 && (w.start + w.end) / 2 < phrase.end + 0.2),
  );
