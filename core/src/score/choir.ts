import { otherWays, type LedNote, type Voicing } from '../parts';
import type { Track } from '../song';
import type { Midi, TakeSeconds } from '../units';
import { besideLead } from './counting';
import { choirOf, choirSings, compassesOf, ledNotes, type Around } from './part-pitches';
import { heardMap } from './place';
import type { Score } from './score';

/** Parts that are led together, note by note. */

/** What all voices of a choir sing with the notes of a take of one of them, in the order of its reading, by 440 Hz. */
export interface LedTake {
  notes: LedNote[];
  choir: Track[];
  led: Voicing[];
  /** Which of the choir the track is. */
  voice: number;
}

/** @param way another one than the choir has */
export function ledWith(score: Around & Pick<Score, 'takes'>, track: Track, takeId: string, way?: number): LedTake {
  const take = track.takes.find(t => t.id === takeId)!;
  const bent = heardMap(score.song, track);
  const heard = (t: TakeSeconds) => (bent ? bent.forward(t + take.offsetSeconds) : t + take.offsetSeconds);
  const { notes: all, leads } = besideLead(score, track, take)!;
  const notes = ledNotes(score, all, leads, heard);
  const choir = choirOf(score.song, track);
  return { notes, choir, led: choirSings(notes, choir, way), voice: choir.findIndex(t => t.id === track.id) };
}

/** What else a part could sing with one of its notes, likeliest first, by 440 Hz; null: rest. */
export function otherNotes(
  score: Around & Pick<Score, 'takes'>,
  track: Track,
  note: { takeId: string; index: number },
): (Midi | null)[] {
  const { notes, choir, led, voice } = ledWith(score, track, note.takeId);
  return otherWays(notes, compassesOf(choir), led, voice, note.index, OTHERS);
}
const OTHERS = 4;
