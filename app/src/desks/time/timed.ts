import {
  broughtBy,
  gridOf,
  isVocal,
  nearestOnset,
  Refused,
  type Score,
  meantSyllables,
  timingOf,
  wordOver,
  type Timing,
} from '@essim/core';
import { editTrackOf, scoreOf, songOf, stageNow, useSession, viewOf, type SessionState } from '../../open-song';
import { useTime, type TimeState } from './state';

/** The notes of the edited track by their time: where they would be if nothing was moved, where they are, how far off they are. */

export interface TimedNote {
  key: string;
  spoken: boolean;
  word: string;
  /** As heard. */
  start: number;
  onset: number;
  end: number;
  /** As if nothing was moved by hand. */
  was: { start: number; onset: number; end: number };
  /** Seconds late of what it is told beside, as it was and as it is; null: there is nothing near. */
  offWas: number | null;
  offNow: number | null;
  joinedAfter: boolean;
}

/** So far apart notes are sung without a rest, s. */
const JOINED = 0.02;

type Nearest = (t: number, was: number) => number | null;

/** The moment something is told beside, nearest to a moment; null where there is none. */
export function nearestOf(s: SessionState, { against, grid, swing }: TimeState): Nearest {
  const song = songOf(s);
  if (!song || against === 'sung') return (_, was) => was;
  if (against === 'beat') {
    try {
      return gridOf({ score: scoreOf(s) }, grid, swing);
    } catch (error) {
      if (error instanceof Refused) return () => null;
      throw error;
    }
  }
  return nearestOnset(viewOf(s, against).syllables);
}

export function timing(s: SessionState): Timing | null {
  const [song, track] = [songOf(s), editTrackOf(s)];
  return song && track && isVocal(track) ? timingOf(song, track, viewOf(s, track.id)) : null;
}

/** What is meant of the edited track. */
export interface MeantTimes {
  start: number;
  end: number;
  keys: ReadonlySet<string>;
  /** How much later its first note lies than if nothing was moved, ms. */
  moveMs: number;
  /** Its length over its length if nothing was moved, %. */
  lengthPercent: number;
  /** How fast its first note speaks, %. */
  onsetPercent: number;
}

/** Null where no note is meant. @param score as stored, for what is set; as it is shown, for what is told */
export function meantTimes(score: Score = stageNow().score): MeantTimes | null {
  const { target } = stageNow();
  const { editTrackId } = useSession.getState();
  const mine = meantSyllables({ score, target }).filter(t => t.track.id === editTrackId);
  const track = score.song.tracks.find(t => t.id === editTrackId);
  if (!mine.length || !track) return null;
  const times = timingOf(score.song, track, score.view(editTrackId));
  const notes = mine.map(t => times.note(t.note.key));
  const [first, last] = [notes[0], notes[notes.length - 1]];
  const [start, end] = [times.heard(first.start), times.heard(last.end)];
  return {
    start,
    end,
    keys: new Set(notes.map(n => n.key)),
    moveMs: (start - first.start) * 1000,
    lengthPercent: (100 * (end - start)) / (last.end - first.start),
    onsetPercent: Math.round(100 * times.spoken(first.key)),
  };
}

let made: { of: unknown[]; notes: TimedNote[] } | null = null;

export function timedNotes(s: SessionState, t: TimeState = useTime.getState()): TimedNote[] {
  const track = editTrackOf(s);
  if (!track) return [];
  const view = viewOf(s, track.id);
  const of = [view, songOf(s), t.against, t.grid, t.swing, t.against === 'beat' ? null : viewOf(s, t.against)];
  if (made && made.of.every((v, i) => v === of[i])) return made.notes;
  const times = timing(s);
  const nearest = nearestOf(s, t);
  const notes = view.syllables.map((n, i): TimedNote => {
    const own = times?.notes[i] ?? n;
    const was = { start: own.start, onset: own.onset, end: own.end };
    const [to, from] = [nearest(n.onset, was.onset), nearest(was.onset, was.onset)];
    const next = view.syllables[i + 1] as typeof n | undefined;
    return {
      key: n.key,
      spoken: n.spoken,
      word: wordOver(view.words, n)?.text ?? '',
      start: n.start,
      onset: n.onset,
      end: n.end,
      was,
      offNow: to === null ? null : n.onset - to,
      offWas: from === null ? null : was.onset - from,
      joinedAfter: !!next && next.start - n.end < JOINED,
    };
  });
  made = { of, notes };
  return notes;
}

/** Where bringing what is chosen to the beat, or to another track, would put it. */
export interface Preview {
  /** By the note's key. */
  moves: ReadonlyMap<string, number>;
  /** Of so many that are meant. */
  count: number;
  furthest: { word: string; ms: number } | null;
  /** Why it cannot be done. */
  wrong: string | null;
}
const NO_PREVIEW: Preview = { moves: new Map<string, number>(), count: 0, furthest: null, wrong: null };
let previewed: { of: unknown[]; preview: Preview } | null = null;

/** Nothing while a gesture goes on; the same object while nothing changed. */
export function preview(s: SessionState, t: TimeState = useTime.getState()): Preview {
  if (s.draft || t.against === 'sung' || !editTrackOf(s)) return NO_PREVIEW;
  const of = [scoreOf(s), s.selection, s.phraseAt, s.grouped, s.viewedTrackIds, s.editTrackId, t];
  if (previewed?.of.every((v, i) => v === of[i])) return previewed.preview;
  previewed = { of, preview: previewNow(s) };
  return previewed.preview;
}

function previewNow(s: SessionState): Preview {
  try {
    const stage = stageNow();
    const mine = broughtBy(stage, quantiseArgs(s)).filter(b => b.track.id === s.editTrackId);
    const far = mine.reduce<(typeof mine)[number] | null>(
      (a, b) => (!a || Math.abs(b.to - b.from) > Math.abs(a.to - a.from) ? b : a),
      null,
    );
    return {
      moves: new Map(mine.map(b => [b.key, b.to])),
      count: stage.target.tracks.find(q => q.track.id === s.editTrackId)?.parts.length ?? 0,
      furthest: far && { word: far.word ?? 'a note', ms: Math.round((far.to - far.from) * 1000) },
      wrong: null,
    };
  } catch (error) {
    if (error instanceof Refused) return { ...NO_PREVIEW, wrong: error.message };
    throw error;
  }
}

/** What bringing to the beat is asked for with now. */
export function quantiseArgs(s: SessionState): Record<string, number | string> {
  const { against, grid, swing, strength, overMs } = useTime.getState();
  const other = against === 'beat' || against === 'sung' ? null : songOf(s)?.tracks.find(t => t.id === against);
  return { strength, overMs, ...(other ? { against: other.name } : { grid, swing }) };
}
