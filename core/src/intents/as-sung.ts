import { isToneField } from '../plan';
import { timingOf } from '../score';
import { PITCH_OF_PARTS, setTrack, together, TONE_OF_PARTS, withoutInParts, type Change, type NoteEdit } from '../song';
import { movableNotes, setting } from './edit-notes';
import { countedOf, Refused, meantSyllables, type Intent, type Stage, type TargetSyllable } from './intent';
import { withRoom } from './time';

/** Back to as it was sung: all that was decided about notes, or what one desk decides. */

const WHAT = ['pitch', 'time', 'tone'] as const;
type What = (typeof WHAT)[number];

/** An edit without what is taken off; null when nothing is left. */
function without(edit: NoteEdit, what: What | undefined): NoteEdit | null {
  if (!what) return null;
  const parted = withoutInParts(edit, what === 'tone' ? TONE_OF_PARTS : PITCH_OF_PARTS);
  const kept = Object.fromEntries(
    Object.entries(parted).filter(([k]) => {
      if (k === 'start' || k === 'end' || k === 'parts') return true;
      return isToneField(k) !== (what === 'tone');
    }),
  ) as unknown as NoteEdit;
  return Object.keys(kept).length > 2 ? kept : null;
}

/** Tracks with some of their notes where they would be if nothing had been moved by hand. */
function timesTaken(stage: Stage, list: readonly TargetSyllable[]): Change[] {
  const { score } = stage;
  return stage.target.tracks.flatMap(({ track }): Change[] => {
    const keys = new Set(list.filter(t => t.track.id === track.id).map(t => t.note.key));
    if (!track.time.length || track.part || !keys.size) return [];
    const timing = timingOf(score.song, track, score.view(track.id));
    return [setTrack(track.id, { time: withRoom(() => timing.asSung(keys)) })];
  });
}

export const asSung: Intent = {
  name: 'as-sung',
  title: 'As sung',
  about: 'Takes off notes what was decided about them: everything, or their pitch, their time or their tone alone.',
  on: 'notes',
  args: [{ name: 'what', about: 'only this', kind: 'choice', of: WHAT }],
  act(stage, args) {
    const what = args.what as What | undefined;
    const list = meantSyllables(stage);
    const { score } = stage;
    const moved = !what || what === 'time' ? timesTaken(stage, list) : [];
    const edited = list.filter(t => {
      const edit = score.view(t.track.id).edits[t.note.key] as NoteEdit | undefined;
      if (!edit || what === 'time') return false;
      const left = without(edit, what);
      return (
        !left ||
        Object.keys(left).length < Object.keys(edit).length ||
        JSON.stringify(left.parts) !== JSON.stringify(edit.parts)
      );
    });
    if (!edited.length && !moved.length) throw new Refused('nothing was edited here');
    // a pin keeps where a note lies, not how loud it is
    const keepsPinned = what !== 'tone' && edited.length > 0;
    const free = !keepsPinned
      ? edited
      : moved.length
        ? edited.filter(t => isFree(stage, t))
        : movableNotes(stage, edited);
    const acted = setting(stage, '', free, e => without(e, what));
    const label = `As sung: ${countedOf(moved.length ? list : free)}`;
    return { label, song: together(moved)(acted.song) };
  },
};

/** Whether a broad command may touch a note. */
const isFree = ({ score, target }: Stage, { track, note }: TargetSyllable): boolean =>
  !target.broad || !score.view(track.id).edits[note.key]?.pinned;
