import { noteKey, type FrameSpan, type NoteFacts } from '../plan';
import {
  CANDIDATES_PER_FRAME,
  editableSpans,
  HOP,
  spokenSyllables,
  type Candidates,
  type Misfit,
  type Reading,
} from '../read';
import {
  changedAlone,
  findPhrases,
  matchEdits,
  pickedFrom,
  type Edits,
  type NoteEdit,
  type Phrase,
  type Song,
  type Take,
  type Track,
  type Word,
} from '../song';
import { counted, type HeardSeconds, type Span } from '../units';
import { placedClips, type Place, type PlacedClip } from './place';
import type { TakeSound } from './take-sound';

export type ReadingStatus = 'waiting' | 'reading' | 'ready' | 'failed' | 'stopped';

/** What is known of one take, in its own time. */
export interface TakeView {
  status: ReadingStatus;
  /** Share of the reading done, 0..1. */
  progress: number;
  /** While only the first phrases are read: until when, take time. */
  readUntil?: number;
  error?: string;
  /** As Essim reads it by itself. */
  auto?: Reading;
  /** With the user's corrections. */
  reading?: Reading;
  /** Where the line was put without evidence, and corrections that no longer fit; take time. */
  assumed: Span[];
  misfits: Misfit[];
  notes: NoteFacts[];
  /** MIDI per 5 ms frame, NaN where nothing is sung. */
  sungLine: Float32Array;
  line: Float32Array;
  /** The line before this one, and the frames in which the two differ; absent: it is new as a whole. */
  patched?: { before: Float32Array; frames: FrameSpan };
  /** What its edits turn up or down, dB per frame; null where nothing is. */
  gainDb: Float32Array | null;
  /** What its sound tells beside the reading; absent where nobody has asked for it yet. */
  sound?: () => TakeSound;
}

/** Whether a take is still to be read, wholly or from some moment on. */
export const isUnread = (take: TakeView | undefined): boolean =>
  !take || take.status === 'waiting' || take.status === 'reading' || take.readUntil !== undefined;

/** @example "3 notes", and "3 syllables" where some of them are spoken */
export const countedSyllables = (list: readonly { spoken: boolean }[]): string =>
  counted(list.length, list.some(n => n.spoken) ? 'syllable' : 'note');

/** Notes of a take and what is spoken in it, in order; take time. */
export function syllablesOfTake({ notes, reading }: Pick<TakeView, 'notes' | 'reading'>): Span[] {
  const spoken = reading ? spokenSyllables(reading) : [];
  return [...notes, ...spoken].sort((a, b) => a.start - b.start);
}

/** A syllable of a track, sung or spoken: of one take, at its place in the song as it is heard. Its key is unique in the track. */
export interface TrackSyllable extends Span<HeardSeconds> {
  key: string;
  /** When it is heard to begin. */
  onset: HeardSeconds;
  takeId: string;
  /** Its place among what edits of its take are made for: its notes, then what is spoken. */
  index: number;
  /** Between the take's time and the song's. */
  place: Place;
  spoken: boolean;
}

/** A note of a track. */
export interface TrackNote extends Omit<NoteFacts, keyof TrackSyllable>, TrackSyllable {}

/** A track as the desks see it: its comp's readings joined, in song time as heard. */
export interface TrackView {
  status: ReadingStatus;
  progress: number;
  /** Not everything is read yet: the first phrases are there, the rest follows. */
  partial: boolean;
  error?: string;
  reading: Reading | null;
  notes: TrackNote[];
  /** Notes, and the syllables of what is spoken; in order. The same list where nothing is spoken. */
  syllables: readonly TrackSyllable[];
  phrases: Phrase[];
  sungLine: Float32Array;
  line: Float32Array;
  /** What edits turn up or down, dB per frame; null where nothing is. */
  gainDb: Float32Array | null;
  /** By the note's key in the track, start and end in song time. */
  edits: Record<string, NoteEdit>;
  words: Word[];
  /** Where the line was put without evidence, song time. */
  assumed: Span<HeardSeconds>[];
}

const none = new Float32Array(0);
export const unreadTake: TakeView = {
  status: 'waiting',
  progress: 0,
  assumed: [],
  misfits: [],
  notes: [],
  sungLine: none,
  line: none,
  gainDb: null,
};
export const emptyTrackView: TrackView = {
  status: 'waiting',
  progress: 0,
  partial: false,
  reading: null,
  notes: [],
  syllables: [],
  phrases: [],
  sungLine: none,
  line: none,
  gainDb: null,
  edits: {},
  words: [],
  assumed: [],
};

export type TakeViews = Readonly<Record<string, TakeView | undefined>>;

/**
 * Joins what is known of a track's takes along its comp. Computes nothing of the voice; what the view before already holds is taken
 * over, so that a step of a drag costs the frames it changes.
 * @param editsOf edits as they count @param before an older view of the same track
 */
export function trackView(
  song: Pick<Song, 'tracks'>,
  track: Track,
  takes: TakeViews,
  editsOf: (take: Take) => Edits = take => take.edits,
  before?: TrackView,
): TrackView {
  const clips = placedClips(song, track);
  const used = clips.map(c => takes[c.takeId] ?? unreadTake);
  const older = before && madeOf.get(before);
  const words = keptIf(
    older &&
      older.clips === clips &&
      sameList(
        older.words,
        track.takes.map(t => t.words),
      ),
    before?.words,
    () => wordsOf(track, clips),
  );
  const phrases = track.phrases ?? phrasesOf(track, takes, older, before);
  const pending = used.find(v => v.status !== 'ready' && v.status !== 'failed');
  const failed = used.find(v => v.status === 'failed');
  const good = used.filter(v => v.reading);
  const counted = new Map(track.takes.map(t => [t.id, editsOf(t)]));
  const made: Made = {
    clips,
    used,
    words: track.takes.map(t => t.words),
    phrasesOf: readingsOf(track, takes),
    edits: counted,
  };
  if (!good.length || pending)
    return remembered(made, {
      ...emptyTrackView,
      phrases,
      words,
      status: pending?.status ?? failed?.status ?? 'waiting',
      progress: pending?.progress ?? 0,
      error: failed?.error,
    });
  const single = clips.length === 1 && clips[0].shift === 0 && !clips[0].place.bent ? used[0] : null;
  const unfinished = used.find(v => v.readUntil !== undefined);
  const read = readPart(track, clips, used, single, older, before);
  return remembered(made, {
    status: 'ready',
    progress: unfinished?.progress ?? 1,
    partial: !!unfinished,
    ...read,
    phrases,
    words,
    edits: editsOfSyllables(made, read.syllables, older, before),
    line: single ? single.line : lineOf(clips, used, older, before),
    gainDb: single
      ? single.gainDb
      : keptIf(
          older && older.clips === clips && older.used.every((v, i) => v.gainDb === used[i].gainDb),
          before?.gainDb,
          () => (used.some(v => v.gainDb) ? joined(clips, used, v => v.gainDb ?? none, 0) : null),
        ),
  });
}

/** What a view was made of. */
interface Made {
  clips: readonly PlacedClip[];
  used: readonly TakeView[];
  words: readonly unknown[];
  phrasesOf: readonly unknown[];
  /** Edits as they count, by take. */
  edits: ReadonlyMap<string, Edits>;
}
const madeOf = new WeakMap<TrackView, Made>();

function remembered(made: Made, view: TrackView): TrackView {
  madeOf.set(view, made);
  return view;
}
const sameList = (a: readonly unknown[], b: readonly unknown[]) =>
  a.length === b.length && a.every((v, i) => v === b[i]);
const keptIf = <T>(kept: boolean | undefined, value: T | undefined, make: () => T): T =>
  kept && value !== undefined ? value : make();

/** What depends on the readings alone. */
type ReadPart = Pick<TrackView, 'notes' | 'syllables' | 'reading' | 'sungLine' | 'assumed'>;
function readPart(
  track: Track,
  clips: readonly PlacedClip[],
  used: readonly TakeView[],
  single: TakeView | null,
  older: Made | undefined,
  before: TrackView | undefined,
): ReadPart {
  const same =
    older?.clips === clips &&
    before?.reading &&
    older.used.every(
      (v, i) => v.reading === used[i].reading && v.notes === used[i].notes && v.assumed === used[i].assumed,
    );
  if (same) return before;
  const notes = notesOf(track, clips, used);
  const spoken = spokenOf(track, clips, used);
  return {
    notes,
    syllables: spoken.length ? [...notes, ...spoken].sort((a, b) => a.start - b.start) : notes,
    assumed: clips.flatMap((c, i) => used[i].assumed.map(s => inSong(s, c))),
    sungLine: single ? single.sungLine : joined(clips, used, v => v.sungLine, NaN),
    reading: single ? single.reading! : joinedReading(clips, used),
  };
}

function notesOf(track: Track, clips: readonly PlacedClip[], used: readonly TakeView[]): TrackNote[] {
  return clips.flatMap((clip, i) => {
    const view = used[i];
    const take = track.takes.find(t => t.id === clip.takeId);
    if (!view.reading || !take) return [];
    return view.notes.flatMap((n, index): TrackNote[] => {
      const placed = syllableIn(clip, i, take, n, n.key, index, false);
      return placed ? [{ ...n, ...placed }] : [];
    });
  });
}

function spokenOf(track: Track, clips: readonly PlacedClip[], used: readonly TakeView[]): TrackSyllable[] {
  return clips.flatMap((clip, i) => {
    const { reading, notes } = used[i];
    const take = track.takes.find(t => t.id === clip.takeId);
    if (!reading || !take) return [];
    return spokenSyllables(reading).flatMap(
      (s, index) => syllableIn(clip, i, take, s, `s${noteKey(s)}`, notes.length + index, true) ?? [],
    );
  });
}

/** What of a take lies in a clip, where it is heard; null where it is not. */
function syllableIn(
  clip: PlacedClip,
  i: number,
  take: Take,
  { start, end, onset }: Span & { onset: number },
  key: string,
  index: number,
  spoken: boolean,
): TrackSyllable | null {
  const { place, from, to, takeId } = clip;
  const middle = place.toSong((start + end) / 2);
  if (middle < from || middle >= to) return null;
  const suffix = clip.shift === take.offsetSeconds ? '' : ` ${i}`;
  return {
    key: `${takeId} ${key}${suffix}`,
    start: Math.max(from, place.toSong(start)),
    end: Math.min(to, place.toSong(end)),
    onset: place.toSong(onset),
    takeId,
    index,
    place,
    spoken,
  };
}

/** By the syllable's key in the track. Of an older view's only those are made anew that may have changed. */
function editsOfSyllables(
  { clips, used, edits }: Made,
  syllables: readonly TrackSyllable[],
  older: Made | undefined,
  before: TrackView | undefined,
): Record<string, NoteEdit> {
  const same = older && before?.syllables === syllables;
  const ids = new Map<string, readonly (string | undefined)[]>();
  const changed = new Map<string, ReadonlySet<string>>();
  for (const [i, { takeId }] of clips.entries()) {
    const [of, reading] = [edits.get(takeId), used[i].reading];
    if (!of || !reading || ids.has(takeId)) continue;
    const was = older?.edits.get(takeId);
    const spans = editableSpans(reading);
    const alone = same && was ? (was === of ? new Set<string>() : changedAlone(spans, was, of)) : null;
    if (alone) changed.set(takeId, alone);
    ids.set(takeId, matchEdits(spans, of));
  }
  const out: Record<string, NoteEdit> = same ? { ...before.edits } : {};
  for (const [takeId, idOf] of ids) {
    const alone = changed.get(takeId);
    if (alone?.size === 0) continue;
    const of = edits.get(takeId)!;
    for (const n of syllables) {
      if (n.takeId !== takeId) continue;
      const id = idOf[n.index];
      if (alone && (id === undefined || !alone.has(id))) continue;
      if (id !== undefined) out[n.key] = { ...of[id], start: n.start, end: n.end };
      else if (same) delete out[n.key];
    }
  }
  return out;
}

const readingsOf = (track: Track, takes: TakeViews): unknown[] =>
  pickedFrom(track).flatMap(t => [takes[t.id]?.reading, takes[t.id]?.notes, t.offsetSeconds]);

function phrasesOf(track: Track, takes: TakeViews, older: Made | undefined, before: TrackView | undefined): Phrase[] {
  const same = older && sameList(older.phrasesOf, readingsOf(track, takes));
  return keptIf(same, before?.phrases, () => foundPhrases(track, takes));
}

/** Phrases from all takes of a track together, so that cells and comps share their borders. */
function foundPhrases(track: Track, takes: TakeViews): Phrase[] {
  const notes: Span[] = [];
  const breaths: Span[] = [];
  for (const take of pickedFrom(track)) {
    const view = takes[take.id];
    if (!view?.reading) continue;
    const at = (s: Span) => ({ start: s.start + take.offsetSeconds, end: s.end + take.offsetSeconds });
    notes.push(...[...view.notes, ...spokenSyllables(view.reading)].map(at));
    breaths.push(...view.reading.noises.filter(n => n.kind === 'breath').map(at));
  }
  return findPhrases(
    notes.sort((a, b) => a.start - b.start),
    breaths,
  );
}

function wordsOf(track: Track, clips: readonly PlacedClip[]): Word[] {
  return clips
    .flatMap(clip => {
      const take = track.takes.find(t => t.id === clip.takeId);
      return (take?.words ?? []).flatMap(w => (isIn(w, clip) ? [{ text: w.text, ...inSong(w, clip) }] : []));
    })
    .sort((a, b) => a.start - b.start);
}

/** Frames of the whole song that the takes reach. */
const framesOf = (clips: readonly PlacedClip[], used: readonly TakeView[]): number =>
  Math.max(
    1,
    ...clips.map((c, i) => Math.ceil((Math.min(c.to, c.place.toSong(used[i].reading?.duration ?? 0)) || 0) / HOP) + 1),
  );

interface Piece {
  i: number;
  /** Its frames in the song [first, last). */
  first: number;
  last: number;
  /** The take's frame at one of the song's. */
  at: (k: number) => number;
}

/** The clips by frames of the song. */
function* pieces(clips: readonly PlacedClip[], frames: number): Generator<Piece> {
  for (const [i, c] of clips.entries()) {
    const lag = Math.round(c.place.shift / HOP);
    const bent = c.place.bent ? bentFrames(c.place, frames) : null;
    yield {
      i,
      first: Math.max(0, Math.ceil(c.from / HOP)),
      last: Math.min(frames, c.to === Infinity ? frames : Math.ceil(c.to / HOP)),
      at: bent ? k => bent[k] : k => k - lag,
    };
  }
}

const bentLines = new WeakMap<object, Map<number, Int32Array>>();
/** The take's frame at each of the song's; kept, for a view is made anew with each step of a drag. */
function bentFrames(place: Place, frames: number): Int32Array {
  const byShift = bentLines.get(place.bent!) ?? new Map<number, Int32Array>();
  bentLines.set(place.bent!, byShift);
  let line = byShift.get(place.shift);
  if (!line || line.length < frames) {
    line = Int32Array.from({ length: frames }, (_, k) => Math.round(place.toTake(k * HOP) / HOP));
    byShift.set(place.shift, line);
  }
  return line;
}

function joined(
  clips: readonly PlacedClip[],
  used: readonly TakeView[],
  pick: (v: TakeView) => Float32Array,
  empty: number,
): Float32Array {
  const frames = framesOf(clips, used);
  const out = new Float32Array(frames).fill(empty);
  for (const { i, first, last, at } of pieces(clips, frames)) {
    const x = pick(used[i]);
    for (let k = first; k < last; k++) out[k] = x[at(k)] ?? empty;
  }
  return out;
}

const editedLine = (v: TakeView) => (v.line.length ? v.line : v.sungLine);

/** The edited line of a comp; of an older one only what changed is written again. */
function lineOf(
  clips: readonly PlacedClip[],
  used: readonly TakeView[],
  older: Made | undefined,
  before: TrackView | undefined,
): Float32Array {
  const sameReadings = older?.clips === clips && older.used.every((v, i) => v.reading === used[i].reading);
  const patches = used.map((v, i): FrameSpan | 'same' | 'other' => {
    const old = sameReadings && older ? editedLine(older.used[i]) : null;
    if (!old || editedLine(v) === old) return old ? 'same' : 'other';
    return v.patched?.before === old ? v.patched.frames : 'other';
  });
  if (!before?.line.length || patches.includes('other')) return joined(clips, used, editedLine, NaN);
  if (patches.every(p => p === 'same')) return before.line;
  const out = before.line.slice();
  for (const { i, first, last, at } of pieces(clips, out.length)) {
    const patch = patches[i];
    if (typeof patch === 'string') continue;
    const { place } = clips[i];
    const x = editedLine(used[i]);
    const from = Math.max(first, Math.floor(place.toSong(patch.start * HOP) / HOP) - 2);
    const to = Math.min(last, Math.ceil(place.toSong(patch.end * HOP) / HOP) + 2);
    for (let k = from; k < to; k++) out[k] = x[at(k)] ?? NaN;
  }
  return out;
}

const inSong = ({ start, end }: Span, { place }: PlacedClip): Span<HeardSeconds> => ({
  start: place.toSong(start),
  end: place.toSong(end),
});
function isIn({ start, end }: Span, { place, from, to }: PlacedClip): boolean {
  const middle = place.toSong((start + end) / 2);
  return middle >= from && middle < to;
}

function joinedReading(clips: readonly PlacedClip[], used: readonly TakeView[]): Reading {
  const frames = framesOf(clips, used);
  const first = used.find(v => v.reading)!.reading!;
  const of = (pick: (r: Reading) => Float32Array, empty: number) =>
    joined(clips, used, v => (v.reading ? pick(v.reading) : none), empty);
  const spans = <T extends Span>(pick: (r: Reading) => T[]): T[] =>
    clips.flatMap((c, i) =>
      (used[i].reading ? pick(used[i].reading!) : []).flatMap(s => (isIn(s, c) ? [{ ...s, ...inSong(s, c) }] : [])),
    );
  // asked for where somebody looks at how notes can be heard, and large: of ten minutes 6 MB
  let candidates: Candidates | undefined;
  let colour: Float32Array | undefined;
  let vowelsDb: Float32Array | undefined;
  return {
    ...first,
    duration: frames * HOP,
    f0: of(r => r.f0, 0),
    levelDb: of(r => r.levelDb, -120),
    get candidates() {
      return (candidates ??= joinedCandidates(clips, used, frames));
    },
    notes: spans(r => r.notes),
    noises: spans(r => r.noises),
    spoken: spans(r => r.spoken),
    get colour() {
      return (colour ??= of(r => r.colour, 0));
    },
    get vowelsDb() {
      return (vowelsDb ??= of(r => r.vowelsDb, -120));
    },
  };
}

function joinedCandidates(clips: readonly PlacedClip[], used: readonly TakeView[], frames: number): Candidates {
  const n = Math.ceil(frames / 2);
  const out: Candidates = {
    count: new Uint8Array(n),
    hz: new Float32Array(n * CANDIDATES_PER_FRAME),
    periodicity: new Float32Array(n * CANDIDATES_PER_FRAME),
    harmonicity: new Float32Array(n * CANDIDATES_PER_FRAME),
  };
  for (const { i, first, last, at } of pieces(clips, frames)) {
    const from = used[i].reading?.candidates;
    if (!from) continue;
    for (let k = first >> 1; k < last >> 1; k++) {
      const j = at(2 * k) >> 1;
      if (j < 0 || j >= from.count.length) continue;
      out.count[k] = from.count[j];
      for (const name of ['hz', 'periodicity', 'harmonicity'] as const)
        out[name].set(
          from[name].subarray(j * CANDIDATES_PER_FRAME, (j + 1) * CANDIDATES_PER_FRAME),
          k * CANDIDATES_PER_FRAME,
        );
    }
  }
  return out;
}
