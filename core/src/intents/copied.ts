import { nearestStep } from '../music';
import type { Score, TrackNote } from '../score';
import { editAt, movedStrokes, type NoteEdit } from '../song';
import { counted, type Midi } from '../units';
import { inBounds, setting } from './edit-notes';
import { notesOf, Refused, type Intent, type TargetNote } from './intent';

/** What was decided about some notes, decided about others: a chorus on its repeat, a lead on its double. */

/** A note that is left out or comes in between costs as much as being so many semitones off the other's melody. */
const ALONE = 2.5;
/** Two notes count as one pitch up to here. */
const SAME_PITCH: Midi = 0.75;

/**
 * Which notes belong together, by order and shape: the cheapest way through both lists, where what counts is how alike the steps of the
 * two melodies are and how alike they lie in their stretch.
 * @returns pairs of places in the two lists, both rising
 */
export function pairedByShape(from: readonly Shaped[], to: readonly Shaped[]): [number, number][] {
  const [n, m] = [from.length, to.length];
  const cost = Array.from({ length: n + 1 }, () => new Float64Array(m + 1).fill(Infinity));
  const apart = (i: number, j: number): number => {
    const step = (list: readonly Shaped[], k: number) => (k ? list[k].sung - list[k - 1].sung : 0);
    const interval = i && j ? Math.min(3, Math.abs(step(from, i) - step(to, j))) : 0;
    const place = (list: readonly Shaped[], k: number) =>
      (list[k].start - list[0].start) / Math.max(0.1, list[list.length - 1].end - list[0].start);
    return interval + 12 * Math.abs(place(from, i) - place(to, j));
  };
  for (let i = 0; i <= n; i++)
    for (let j = 0; j <= m; j++) {
      if (!i && !j) cost[0][0] = 0;
      if (i) cost[i][j] = Math.min(cost[i][j], cost[i - 1][j] + ALONE);
      if (j) cost[i][j] = Math.min(cost[i][j], cost[i][j - 1] + ALONE);
      if (i && j) cost[i][j] = Math.min(cost[i][j], cost[i - 1][j - 1] + apart(i - 1, j - 1));
    }
  const pairs: [number, number][] = [];
  let [i, j] = [n, m];
  while (i && j) {
    if (cost[i][j] === cost[i - 1][j - 1] + apart(i - 1, j - 1)) pairs.push([--i, --j]);
    else if (cost[i][j] === cost[i - 1][j] + ALONE) i--;
    else j--;
  }
  return pairs.reverse();
}

type Shaped = Pick<TrackNote, 'start' | 'end' | 'sung'>;

/** An edit of one note as it is meant for another: its pitch where both sing the same, else as far from its own step. */
function carried(score: Score, from: TrackNote, edit: NoteEdit, to: TrackNote): NoteEdit {
  const near = (note: TrackNote) => nearestStep(score.scaleAt(note.start), note.sung * 100) / 100;
  const same = Math.abs(to.sung - from.sung) < SAME_PITCH;
  const { place } = from;
  const [a, z] = [place.toTake(from.start), place.toTake(from.end)];
  const [b, y] = [to.place.toTake(to.start), to.place.toTake(to.end)];
  const {
    drawn,
    target,
    pinned: _,
    ...rest
  } = editAt(edit, t => Math.max(0, b + ((t - a) * (y - b)) / Math.max(0.01, z - a)));
  const meant = target === undefined ? undefined : inBounds(same ? target : near(to) + target - near(from));
  const higher = meant === undefined ? to.sung - from.sung : meant - target!;
  return {
    ...rest,
    ...(meant === undefined ? {} : { target: meant }),
    ...(drawn ? { drawn: movedStrokes(drawn, higher) } : {}),
  };
}

export const copyEdits: Intent = {
  name: 'copy-edits',
  title: 'Copy edits',
  about: 'Gives notes what was decided about those of another stretch, paired by order and shape; pinned ones stay.',
  on: 'notes',
  args: [
    { name: 'of', about: 'the track they are of; absent: each its own', kind: 'text', most: 200 },
    { name: 'from', about: 'where the stretch begins', kind: 'number', low: 0, high: 86400, unit: 's', required: true },
    { name: 'to', about: 'where it ends', kind: 'number', low: 0, high: 86400, unit: 's', required: true },
  ],
  act(stage, args) {
    const { of, from, to } = args as { of?: string; from: number; to: number };
    if (!(to > from)) throw new Refused('to must lie after from');
    const { score, target } = stage;
    const source = of === undefined ? null : score.song.tracks.find(t => t.name === of || t.id === of);
    if (of !== undefined && !source) throw new Refused(`there is no track "${of}"`);
    const all = notesOf(stage);
    const pairs = new Map<TargetNote, NoteEdit>();
    for (const { track } of target.tracks) {
      const { notes, edits } = score.view((source ?? track).id);
      const given = notes.filter(n => (n.start + n.end) / 2 >= from && (n.start + n.end) / 2 < to);
      const mine = all.filter(t => t.track === track);
      for (const [i, j] of pairedByShape(
        given,
        mine.map(t => t.note),
      )) {
        const edit = edits[given[i].key] as NoteEdit | undefined;
        if (!edit || given[i].key === mine[j].note.key) continue;
        if (score.view(track.id).edits[mine[j].note.key]?.pinned) continue;
        pairs.set(mine[j], carried(score, given[i], edit, mine[j].note));
      }
    }
    if (!pairs.size) throw new Refused('nothing was edited there that has a counterpart here');
    return setting(stage, `Edits of ${counted(pairs.size, 'note')} copied`, [...pairs.keys()], (_, t) => pairs.get(t)!);
  },
};
