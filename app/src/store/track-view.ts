import {
  CANDIDATES_PER_FRAME,
  editsInOrder,
  findPhrases,
  HOP,
  type Candidates,
  type NoteEdit,
  type Misfit,
  type NoteFacts,
  type Phrase,
  type Reading,
  type Span,
  type Take,
  type Track,
  type Word,
} from '@essim/core';
import { placedClips, type Place, type PlacedClip } from './placing';

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
  /** What its edits turn up or down, dB per frame; null where nothing is. */
  gainDb: Float32Array | null;
}

/** Whether a take is still to be read, wholly or from some moment on. */
export const isUnread = (take: TakeView | undefined): boolean =>
  !take || take.status === 'waiting' || take.status === 'reading' || take.readUntil !== undefined;

/** A note of a track: of one take, at its place in the song. Its key is unique in the track. */
export interface TrackNote extends NoteFacts {
  takeId: string;
  /** Key of its edit in the take. */
  takeKey: string;
  /** Between the take's time and the song's. */
  place: Place;
}

/** A track as the desks see it: its comp's readings joined, in song time. */
export interface TrackView {
  status: ReadingStatus;
  progress: number;
  /** Not everything is read yet: the first phrases are there, the rest follows. */
  partial: boolean;
  error?: string;
  reading: Reading | null;
  notes: TrackNote[];
  phrases: Phrase[];
  sungLine: Float32Array;
  line: Float32Array;
  /** What edits turn up or down, dB per frame; null where nothing is. */
  gainDb: Float32Array | null;
  /** By the note's key in the track, start and end in song time. */
  edits: Record<string, NoteEdit>;
  words: Word[];
  /** Where the line was put without evidence, song time. */
  assumed: Span[];
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
  phrases: [],
  sungLine: none,
  line: none,
  gainDb: null,
  edits: {},
  words: [],
  assumed: [],
};

type Takes = Readonly<Record<string, TakeView | undefined>>;

/** Joins what is known of a track's takes along its comp. Cheap: copies lines, computes nothing of the voice. @param editsOf edits as they count */
export function trackView(
  track: Track,
  takes: Takes,
  editsOf: (take: Take) => Readonly<Record<string, NoteEdit>> = take => take.edits,
): TrackView {
  const clips = placedClips(track);
  const used = clips.map(c => takes[c.takeId] ?? unreadTake);
  const words = wordsOf(track, clips);
  const phrases = track.phrases ?? foundPhrases(track, takes);
  const pending = used.find(v => v.status !== 'ready' && v.status !== 'failed');
  const failed = used.find(v => v.status === 'failed');
  const good = used.filter(v => v.reading);
  if (!good.length || pending)
    return {
      ...emptyTrackView,
      phrases,
      words,
      status: pending?.status ?? failed?.status ?? 'waiting',
      progress: pending?.progress ?? 0,
      error: failed?.error,
    };
  const notes: TrackNote[] = [];
  const edits: Record<string, NoteEdit> = {};
  clips.forEach((clip, i) => {
    const view = used[i];
    const take = track.takes.find(t => t.id === clip.takeId);
    if (!view.reading || !take) return;
    const ordered = editsInOrder(view.reading, editsOf(take));
    const suffix = clip.shift === take.offsetSeconds ? '' : ` ${i}`;
    view.notes.forEach((n, k) => {
      const { place } = clip;
      const middle = place.toSong((n.start + n.end) / 2);
      if (middle < clip.from || middle >= clip.to) return;
      const note = {
        ...n,
        key: `${clip.takeId} ${n.key}${suffix}`,
        start: Math.max(clip.from, place.toSong(n.start)),
        end: Math.min(clip.to, place.toSong(n.end)),
        onset: place.toSong(n.onset),
        takeId: clip.takeId,
        takeKey: n.key,
        place,
      };
      notes.push(note);
      const edit = ordered[k];
      if (edit) edits[note.key] = { ...edit, start: note.start, end: note.end };
    });
  });
  const single = clips.length === 1 && clips[0].shift === 0 && !clips[0].place.bent ? used[0] : null;
  const unfinished = used.find(v => v.readUntil !== undefined);
  return {
    status: 'ready',
    progress: unfinished?.progress ?? 1,
    partial: !!unfinished,
    notes,
    phrases,
    words,
    edits,
    assumed: clips.flatMap((c, i) => used[i].assumed.map(s => inSong(s, c))),
    sungLine: single ? single.sungLine : joined(clips, used, v => v.sungLine, NaN),
    line: single ? single.line : joined(clips, used, v => (v.line.length ? v.line : v.sungLine), NaN),
    gainDb: single ? single.gainDb : used.some(v => v.gainDb) ? joined(clips, used, v => v.gainDb ?? none, 0) : null,
    reading: single ? single.reading! : joinedReading(clips, used),
  };
}

/** Phrases from all takes of a track together, so that cells and comps share their borders. */
function foundPhrases(track: Track, takes: Takes): Phrase[] {
  const notes: { start: number; end: number }[] = [];
  const breaths: { start: number; end: number }[] = [];
  for (const take of track.takes) {
    const view = takes[take.id];
    if (!view?.reading) continue;
    const at = (s: { start: number; end: number }) => ({
      start: s.start + take.offsetSeconds,
      end: s.end + take.offsetSeconds,
    });
    notes.push(...view.notes.map(at));
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
      return (take?.words ?? []).flatMap(w => {
        return isIn(w, clip) ? [{ text: w.text, ...inSong(w, clip) }] : [];
      });
    })
    .sort((a, b) => a.start - b.start);
}

/** Frames of the whole song that the takes reach. */
const framesOf = (clips: readonly PlacedClip[], used: readonly TakeView[]): number =>
  Math.max(
    1,
    ...clips.map((c, i) => Math.ceil((Math.min(c.to, c.place.toSong(used[i].reading?.duration ?? 0)) || 0) / HOP) + 1),
  );

/** For each clip: its frames in the song [first, last) and the take's frame at each of them. */
function* pieces(
  clips: readonly PlacedClip[],
  frames: number,
): Generator<{ i: number; first: number; last: number; at: (k: number) => number }> {
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

type Stretch = { start: number; end: number };
const inSong = ({ start, end }: Stretch, { place }: PlacedClip): Stretch => ({
  start: place.toSong(start),
  end: place.toSong(end),
});
function isIn({ start, end }: Stretch, { place, from, to }: PlacedClip): boolean {
  const middle = place.toSong((start + end) / 2);
  return middle >= from && middle < to;
}

function joinedReading(clips: readonly PlacedClip[], used: readonly TakeView[]): Reading {
  const frames = framesOf(clips, used);
  const first = used.find(v => v.reading)!.reading!;
  const of = (pick: (r: Reading) => Float32Array, empty: number) =>
    joined(clips, used, v => (v.reading ? pick(v.reading) : none), empty);
  const spans = <T extends { start: number; end: number }>(pick: (r: Reading) => T[]): T[] =>
    clips.flatMap((c, i) =>
      (used[i].reading ? pick(used[i].reading!) : []).flatMap(s => {
        return isIn(s, c) ? [{ ...s, ...inSong(s, c) }] : [];
      }),
    );
  return {
    ...first,
    duration: frames * HOP,
    f0: of(r => r.f0, 0),
    levelDb: of(r => r.levelDb, -120),
    candidates: joinedCandidates(clips, used, frames),
    notes: spans(r => r.notes),
    noises: spans(r => r.noises),
    spoken: spans(r => r.spoken),
    colour: of(r => r.colour, 0),
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

/** Edits of a track's notes sorted to their takes, in source time. Those of notes that are not there are left out. */
export function editsByTake(
  notes: readonly TrackNote[],
  edits: Readonly<Record<string, NoteEdit | null>>,
): Map<string, Record<string, NoteEdit | null>> {
  const out = new Map<string, Record<string, NoteEdit | null>>();
  for (const n of notes) {
    if (!(n.key in edits)) continue;
    const edit = edits[n.key];
    const list = out.get(n.takeId) ?? {};
    list[n.takeKey] = edit && { ...edit, start: n.place.toTake(n.start), end: n.place.toTake(n.end) };
    out.set(n.takeId, list);
  }
  return out;
}
