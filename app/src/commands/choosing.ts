import {
  alike,
  counted,
  cutsIn,
  degreeIn,
  grown,
  inverted,
  needsChosen,
  select,
  shrunk,
  wordOver,
  type Alike,
  type AlikeNote,
} from '@essim/core';
import { toast } from 'sonner';
import { doubtsIn } from './corrections';
import { choose, chooseSpan, editViewOf, scoreOf, useSession, type SessionState } from '../open-song';

/** Choosing notes by what they are, at any desk. */

const state = useSession.getState;

export const ALIKE_NAMES: Record<Alike, string> = {
  name: 'of the same name',
  pitch: 'of the same pitch',
  longer: 'as long or longer',
  shorter: 'as short or shorter',
  vibrato: 'with vibrato',
  straight: 'without vibrato',
  outside: 'out of the key',
  doubtful: 'doubtful',
  edited: 'edited',
  word: 'under the same word',
};

/** A swing is a vibrato when it comes so often. */
const LEAST_SWINGS = 2;

/** What is known of the edited track's notes; only what is asked for is computed. */
function notesFor(s: SessionState, by: Alike): AlikeNote[] {
  const { notes, reading, words, edits } = editViewOf(s);
  const score = scoreOf(s);
  const doubts = by === 'doubtful' ? doubtsIn(s).filter(d => !d.looked) : [];
  return notes.map(n => {
    const key = score.keyAt(n.start);
    return {
      key: n.key,
      start: n.start,
      end: n.end,
      sung: n.sung,
      vibrato: (by === 'vibrato' || by === 'straight') && !!reading && cutsIn(reading, n).swing.length >= LEAST_SWINGS,
      outside: !!key && !degreeIn(score.scaleAt(n.start), n.sung),
      doubtful: doubts.some(d => d.start < n.end && d.end > n.start),
      edited: !!edits[n.key],
      word: wordOver(words, n)?.text ?? null,
    };
  });
}

const chosenKeys = (s: SessionState): ReadonlySet<string> =>
  s.selection.trackId === s.editTrackId ? s.selection.notes : new Set<string>();

/** Chooses the notes alike of the whole track. */
export function chooseAlike(by: Alike): void {
  const s = state();
  const chosen = chosenKeys(s);
  if (needsChosen(by) && !chosen.size) return void toast('Choose a note to compare with first.', { id: 'choose' });
  const keys = alike(notesFor(s, by), chosen, by);
  choose(select(s.editTrackId, keys));
  toast(`${counted(keys.length, 'note')} ${ALIKE_NAMES[by]}.`, { id: 'alike', duration: 2500 });
}

const SHAPES = { grow: grown, shrink: shrunk, invert: inverted };

/** Grows, shrinks or inverts the selection. */
export function reshape(how: keyof typeof SHAPES): void {
  const s = state();
  const keys = editViewOf(s).syllables.map(n => n.key);
  choose(select(s.editTrackId, SHAPES[how](keys, chosenKeys(s))));
}

/** What was typed to choose by: lengths in ms, or a stretch in seconds. */
const LENGTH = /^(>|<|longer than|shorter than)\s*(\d+(?:\.\d+)?)\s*(ms)?$/i;
const STRETCH = /^(\d+(?:\.\d+)?)\s*(?:-|–|to)\s*(\d+(?:\.\d+)?)\s*s?$/i;

/** Chooses by what is typed: "> 400 ms", "shorter than 120", "5.2 to 7.8 s". @returns whether it was understood */
export function chooseTyped(text: string): boolean {
  const s = state();
  const length = LENGTH.exec(text.trim());
  const stretch = STRETCH.exec(text.trim());
  if (length) {
    const longer = /^(>|longer)/i.test(length[1]);
    const ms = Number(length[2]);
    const is = (n: { start: number; end: number }) =>
      longer ? (n.end - n.start) * 1000 > ms : (n.end - n.start) * 1000 < ms;
    const keys = editViewOf(s)
      .notes.filter(is)
      .map(n => n.key);
    choose(select(s.editTrackId, keys));
    toast(`${counted(keys.length, 'note')} ${longer ? 'longer' : 'shorter'} than ${ms} ms.`, {
      id: 'alike',
      duration: 2500,
    });
    return true;
  }
  if (!stretch || !(Number(stretch[2]) > Number(stretch[1]))) {
    toast(`“${text}” is no length or stretch: type > 400 ms, < 120 ms or 5.2 to 7.8 s.`, { id: 'choose' });
    return false;
  }
  chooseSpan(Number(stretch[1]), Number(stretch[2]));
  return true;
}
