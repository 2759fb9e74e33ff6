import { noteKey } from '../plan';
import { seededRandom } from '../signal/random';
import type { Reading } from '../read';
import { Segment, Take, Track, type NoteEdit } from '../song';
import { song, sung as sungNotes } from './testing';
import { withEdits } from '../intents';
import { Score } from './score';
import { isUnread, trackView as viewIn, type TakeView, type TakeViews, type TrackView } from './track-view';

const trackView = (t: Track, takes: TakeViews, before?: TrackView) => viewIn(song([t]), t, takes, undefined, before);

/** A take that sings one note a second after a breath, its pitch telling the take. */
function sung(pitch: number, seconds: number): TakeView {
  const view = sungNotes(pitch, [seconds]);
  const reading: Reading = { ...view.reading!, noises: [{ start: 0, end: 0.05, kind: 'breath' }] };
  return { ...view, reading, notes: view.notes.map(n => ({ ...n, key: noteKey(n) })) };
}

const take = (id: string, offsetSeconds: number, edits: Record<string, NoteEdit> = {}) =>
  Object.assign(new Take(), {
    id,
    name: id,
    sourceId: 'a'.repeat(64),
    offsetSeconds,
    edits,
    words: [{ text: id, start: 3.1, end: 3.9 }],
  });
const seg = (at: number, takeId: string, more: Partial<Segment> = {}): Segment => ({ at, takeId, fadeMs: 12, ...more });
const track = (segments: Segment[], b: Take = take('b', 2)) =>
  Object.assign(new Track(), { id: 't', name: 'Lead', role: 'lead', takes: [take('a', 0), b], segments });
const takes = { a: sung(60, 8), b: sung(62, 8) };

describe('a track as the desks see it', () => {
  it('is the take itself when there is only one', () => {
    const view = trackView(track([seg(0, 'a')]), takes);
    expect(view.sungLine).toBe(takes.a.sungLine);
    expect(view.notes).toHaveLength(8);
    expect(view.notes[3]).toMatchObject({
      takeId: 'a',
      index: 3,
      place: expect.objectContaining({ shift: 0 }),
    });
  });

  it('joins the takes of a comp in song time', () => {
    const view = trackView(track([seg(0, 'a'), seg(5, 'b')]), takes);
    expect(view.notes.map(n => n.sung)).toEqual([60, 60, 60, 60, 60, 62, 62, 62, 62, 62]);
    // take b lies two seconds later in the song than in its file
    expect(view.notes[5]).toMatchObject({
      start: expect.closeTo(5.1, 9),
      index: 3,
      place: expect.objectContaining({ shift: 2 }),
    });
    expect(view.line[4.5 * 200]).toBe(60);
    expect(view.line[5.5 * 200]).toBe(62);
    expect(view.reading!.levelDb[9.5 * 200]).toBe(-20);
    expect(view.words.map(w => [w.text, w.start])).toEqual([
      ['a', 3.1],
      ['b', 5.1],
    ]);
  });

  it('joins what edits turn up or down, where anything is', () => {
    const quiet = { ...takes, b: { ...takes.b, gainDb: new Float32Array(takes.b.line.length).fill(-3) } };
    const comp = track([seg(0, 'a'), seg(5, 'b')]);
    expect(trackView(comp, takes).gainDb).toBeNull();
    const { gainDb } = trackView(comp, quiet);
    expect([gainDb![4.5 * 200], gainDb![5.5 * 200]]).toEqual([0, -3]);
    expect(trackView(track([seg(0, 'a')]), quiet).gainDb).toBeNull();
  });

  it('shows edits at their place, and puts new ones into the time of the take they belong to', () => {
    const edit: NoteEdit = { start: 3.1, end: 3.9, target: 64 };
    const comp = track([seg(0, 'a'), seg(5, 'b')], take('b', 2, { x: edit }));
    const view = trackView(comp, takes);
    const note = view.notes[5];
    expect(view.edits[note.key]).toMatchObject({ target: 64, start: expect.closeTo(5.1, 9) });
    const score = new Score(song([comp]), takes);
    const after = withEdits(score, [[note, { ...edit, start: 5.1, end: 5.9, aim: 50 }]], () => 'new');
    const [a, b] = after.tracks[0].takes;
    expect(a).toBe(comp.takes[0]);
    expect(b.edits).toEqual({ x: { start: expect.closeTo(3.1, 9), end: expect.closeTo(3.9, 9), target: 64, aim: 50 } });
  });

  it('made from an older view is what it would be made anew, and shares what did not change', () => {
    const comp = track([seg(0, 'a'), seg(5, 'b')]);
    const before = trackView(comp, takes);
    const line = takes.b.line.slice().fill(65, 600, 700);
    const patched = { ...takes.b, line, patched: { before: takes.b.line, frames: { start: 600, end: 700 } } };
    const moved = { ...takes, b: patched };
    const [step, anew] = [trackView(comp, moved, before), trackView(comp, moved)];
    expect(step.line).toEqual(anew.line);
    expect(step.line).not.toBe(before.line);
    expect([step.notes, step.reading, step.phrases, step.words]).toEqual([
      before.notes,
      before.reading,
      before.phrases,
      before.words,
    ]);
    expect(step.reading).toBe(before.reading);
    // a line that tells nothing of the one before is joined as a whole
    const other = { ...takes, b: { ...takes.b, line: line.slice() } };
    expect(trackView(comp, other, before).line).toEqual(anew.line);
    // another comp is another view
    expect(trackView(track([seg(0, 'a'), seg(6, 'b')]), takes, before).notes).toHaveLength(10);
    expect(trackView(comp, takes, before).line).toBe(before.line);
  });

  it('step by step shows the edits it would show anew, whatever becomes of them', () => {
    const random = seededRandom(5).uniform;
    const segments = [seg(0, 'a'), seg(2, 'b'), seg(3, 'a', { shiftSeconds: -3 }), seg(5, 'b')];
    let edits: Record<string, NoteEdit> = {};
    let view = trackView(track(segments), takes);
    for (let step = 0; step < 60; step++) {
      const id = `e${Math.floor(random() * 6)}`;
      const start = Math.round(random() * 8) + 0.1;
      const { [id]: old, ...others } = edits;
      const dice = random();
      if (!old) edits = { ...others, [id]: { start, end: start + 0.8, target: 60 } };
      else if (dice < 0.2) edits = others;
      else if (dice < 0.4) edits = { ...others, [id]: { ...old, start, end: start + 0.8 } };
      else edits = { ...edits, [id]: { ...old, target: 50 + step } };
      const comp = track(segments, take('b', 2, edits));
      view = trackView(comp, takes, view);
      expect(view.edits).toEqual(trackView(comp, takes).edits);
    }
    expect(Object.keys(view.edits).length).toBeGreaterThan(2);
  });

  it('tells a borrowed word from the same note at its own place', () => {
    const segments = [seg(0, 'a'), seg(2, 'a', { shiftSeconds: -3 }), seg(3, 'a')];
    const view = trackView(track(segments), takes);
    const borrowed = view.notes.filter(n => n.index === 5);
    expect(borrowed).toHaveLength(2);
    expect(new Set(borrowed.map(n => n.key)).size).toBe(2);
  });

  it('waits for every take it is made of, and says which failed', () => {
    const comp = track([seg(0, 'a'), seg(5, 'b')]);
    expect(trackView(comp, { a: takes.a }).status).toBe('waiting');
    expect(
      trackView(comp, { a: { ...takes.a, reading: undefined, status: 'failed', error: 'it is silent' } }),
    ).toMatchObject({
      status: 'waiting',
    });
    expect(
      trackView(track([seg(0, 'a')]), { a: { ...takes.a, reading: undefined, status: 'failed', error: 'silent' } }),
    ).toMatchObject({ status: 'failed', error: 'silent' });
  });
});

describe('a take whose first phrases are read', () => {
  const head: TakeView = { ...takes.a, readUntil: 4, progress: 0.5 };

  it('shows what there is and says that more will come', () => {
    const view = trackView(track([seg(0, 'a')]), { ...takes, a: head });
    expect(view).toMatchObject({ status: 'ready', partial: true, progress: 0.5 });
    expect(view.notes).toHaveLength(8);
    expect(trackView(track([seg(0, 'a')]), takes)).toMatchObject({ partial: false, progress: 1 });
  });

  it('makes a comp partial only where it is heard', () => {
    expect(trackView(track([seg(0, 'b')]), { ...takes, a: head }).partial).toBe(false);
    expect(trackView(track([seg(0, 'a'), seg(4, 'b')]), { ...takes, a: head }).partial).toBe(true);
  });

  it('is unread until the rest has come', () => {
    expect([undefined, head, takes.a].map(isUnread)).toEqual([true, true, false]);
    expect(isUnread({ ...takes.a, status: 'stopped' })).toBe(false);
  });
});
