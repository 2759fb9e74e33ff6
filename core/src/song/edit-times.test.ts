import { editAt } from './edit-times';
import { Alternative, KeptEdit, Take, type NoteEdit } from './document';
import { withPart } from './note-parts';
import { alternativesMoved, replaceRecording } from './replace';

const edit: NoteEdit = {
  start: 1,
  end: 2,
  target: 62,
  centre: { start: 1.2, end: 1.4 },
  parts: [{ start: 1.5, end: 1.8, wander: 20 }],
  drawn: [[1.1, 60, 1.3, 61]],
};

describe('an edit at other times', () => {
  const later: NoteEdit = {
    start: 3,
    end: 4,
    target: 62,
    centre: { start: 3.2, end: 3.4 },
    parts: [{ start: 3.5, end: 3.8, wander: 20 }],
    drawn: [[3.1, 60, 3.3, 61]],
  };

  test('takes along all that it holds, and nothing that it has not', () => {
    expect(editAt(edit, t => t + 2)).toEqual(later);
    expect(editAt({ start: 0, end: 1, wander: 40 }, t => 2 * t)).toEqual({ start: 0, end: 2, wander: 40 });
    expect(edit.centre).toEqual({ start: 1.2, end: 1.4 });
  });

  test('so it is when the recording is replaced by one that begins later', () => {
    const take = Object.assign(new Take(), {
      id: 'a',
      name: 'a',
      sourceId: 'a'.repeat(64),
      offsetSeconds: 5,
      edits: { one: edit },
    });
    const { fields, lost } = replaceRecording(take, 'b'.repeat(64), 2, 20, []);
    expect(fields.edits.one).toEqual(later);
    expect(lost).toEqual([]);
  });

  test('what other tunings keep of the take goes along, what they keep of others stays', () => {
    const kept = (takeId: string) => Object.assign(new KeptEdit(), edit, { takeId });
    const other = Object.assign(new Alternative(), {
      id: 'b',
      name: 'B',
      start: 5,
      end: 9,
      edits: [kept('a'), kept('c')],
    });
    const [moved] = alternativesMoved([other], 'a', 2);
    expect(moved.edits[0]).toEqual({ ...later, takeId: 'a' });
    expect(moved.edits[1]).toEqual(other.edits[1]);
    // the stretch is the song's, where the take stays at its place
    expect([moved.start, moved.end]).toEqual([5, 9]);
    const gone = alternativesMoved([other], 'a', -1.5);
    expect(gone[0].edits.map(e => e.takeId)).toEqual(['c']);
  });
});

describe('parts of a note', () => {
  const first = withPart([], { start: 1, end: 3 }, { wander: 20, vibrato: 50 });

  test('one over another keeps what it says nothing about', () => {
    expect(withPart(first, { start: 2, end: 4 }, { wander: 80 })).toEqual([
      { start: 1, end: 2, wander: 20, vibrato: 50 },
      { start: 2, end: 3, wander: 80, vibrato: 50 },
      { start: 3, end: 4, wander: 80 },
    ]);
  });

  test('neighbours that say the same are one', () => {
    expect(withPart(first, { start: 3, end: 5 }, { wander: 20, vibrato: 50 })).toEqual([
      { start: 1, end: 5, wander: 20, vibrato: 50 },
    ]);
  });

  test('what nothing is said of any more is no part', () => {
    const less = withPart(first, { start: 0, end: 10 }, { wander: null });
    expect(less).toEqual([{ start: 1, end: 3, vibrato: 50 }]);
    expect(withPart(less, { start: 0, end: 10 }, { vibrato: null })).toEqual([]);
  });

  test('slivers are left out', () => {
    const cut = withPart(first, { start: 1.002, end: 3 }, { wander: 90 });
    expect(cut).toEqual([{ start: 1.002, end: 3, wander: 90, vibrato: 50 }]);
  });
});
