import { broughtBy, gridOf, isVocal, Refused, Score, timingOf, wordOver, type Timing, type Track } from '@essim/core';
import { editTrackOf, scoreOf, songOf, stageNow, useSession, viewOf, type SessionState } from '../../open-song';
import { useTime, type TimeState } from './state';

/** The notes of the edited track by their time: where they would be if nothing was moved, where they are, how far off they are. */

export interface TimedNote {
  key: string;
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
/** Of another track an onset so near is meant, s. */
const NEAR = 0.25;

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
  const onsets = viewOf(s, against).notes.map(n => n.onset);
  return t => {
    if (!onsets.length) return null;
    const best = onsets.reduce((a, b) => (Math.abs(b - t) < Math.abs(a - t) ? b : a));
    return Math.abs(best - t) < NEAR ? best : null;
  };
}

export function timing(s: SessionState): Timing | null {
  const [song, track] = [songOf(s), editTrackOf(s)];
  return song && track && isVocal(track) ? timingOf(song, track, viewOf(s, track.id)) : null;
}

/** The timing of the song as it is stored, from which a gesture's drafts start. */
export function storedTiming(): { timing: Timing; track: Track; score: Score } | null {
  const { score } = stageNow();
  const track = score.song.tracks.find(t => t.id === useSession.getState().editTrackId);
  return track ? { timing: timingOf(score.song, track, score.view(track.id)), track, score } : null;
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
  const notes = view.notes.map((n, i): TimedNote => {
    const own = times?.notes[i] ?? n;
    const was = { start: own.start, onset: own.onset, end: own.end };
    const [to, from] = [nearest(n.onset, was.onset), nearest(was.onset, was.onset)];
    const next = view.notes[i + 1] as typeof n | undefined;
    return {
      key: n.key,
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

/** Where bringing what is chosen to the beat, or to another track, would put it: by the note's key. */
export function preview(): {
  moves: ReadonlyMap<string, number>;
  count: number;
  furthest: { word: string; ms: number } | null;
  wrong: string | null;
} {
  const none = { moves: new Map<string, number>(), count: 0, furthest: null };
  const s = useSession.getState();
  if (s.draft || !editTrackOf(s)) return { ...none, wrong: null };
  try {
    const stage = stageNow();
    const list = broughtBy(stage, quantiseArgs(s));
    const count = stage.target.tracks.reduce((n, t) => n + t.parts.length, 0);
    const mine = list.filter(b => b.track.id === s.editTrackId);
    const far = mine.reduce<(typeof mine)[number] | null>(
      (a, b) => (!a || Math.abs(b.to - b.from) > Math.abs(a.to - a.from) ? b : a),
      null,
    );
    return {
      moves: new Map(mine.map(b => [b.key, b.to])),
      count,
      furthest: far && { word: far.word ?? 'a note', ms: Math.round((far.to - far.from) * 1000) },
      wrong: null,
    };
  } catch (error) {
    if (error instanceof Refused) return { ...none, wrong: error.message };
    throw error;
  }
}

/** What bringing to the beat is asked for with now. */
export function quantiseArgs(s: SessionState): Record<string, number | string> {
  const { against, grid, swing, strength, overMs } = useTime.getState();
  const other = against === 'beat' || against === 'sung' ? null : songOf(s)?.tracks.find(t => t.id === against);
  return { strength, overMs, ...(other ? { against: other.name } : { grid, swing }) };
}
