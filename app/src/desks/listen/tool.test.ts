import { CANDIDATES_PER_FRAME, midiToHz, noteKey, type ReadNoise } from '@essim/core';
import { cursorAt, Press, type FieldPointer } from '../../field/tool';
import { yOf } from '../../field/viewport';
import { editViewOf, undo, useSession } from '../../open-song';
import { at, click as clickWith, drag as dragWith, inNoises, layout, view } from '../../testing-field';
import { now, open, song, sung, take, track } from '../../testing';
import { listenTool } from './tool';

/** Four notes and, after a rest, two more; a breath and a sibilant in between. */
const s = useSession.getState;
const notes = () => editViewOf(s()).notes;
const spans = () => notes().map(n => [n.start, n.end].map(t => Math.round(t * 100) / 100));
const chosen = () => notes().flatMap((n, i) => (s().selection.notes.has(n.key) ? [i] : []));
const corrections = () => now().tracks[0].takes[0].corrections;
const noises: ReadNoise[] = [
  { start: 4.1, end: 4.4, kind: 'breath' },
  { start: 4.6, end: 4.75, kind: 'sibilant' },
] as ReadNoise[];

beforeEach(async () => {
  const read = sung(60, [4, 2]);
  const reading = { ...read.reading!, noises };
  await open(song([track('lead', [take('a')])]), {
    a: { ...read, reading, auto: reading, notes: read.notes.map(n => ({ ...n, key: noteKey(n) })) },
  });
});

/** Lets every frame be heard at another pitch as well. */
function alsoHeard(midi: number): void {
  const { reading } = editViewOf(s());
  const half = (reading!.f0.length + 1) >> 1;
  const of = (...each: number[]) =>
    Float32Array.from({ length: half * CANDIDATES_PER_FRAME }, (_, i) => each[i % CANDIDATES_PER_FRAME] ?? 0);
  const strengths = of(0.95, 0.9);
  Object.assign(reading!.candidates, {
    count: new Uint8Array(half).fill(2),
    hz: of(midiToHz(60), midiToHz(midi)),
    periodicity: strengths,
    harmonicity: strengths,
  });
}

const onNote = (i: number, share = 0.5, fields: Partial<FieldPointer> = {}) => {
  const { start, end } = notes()[i];
  return at(start + share * (end - start), 60, fields);
};
const click = (p: FieldPointer) => clickWith(listenTool, p);
const drag = (from: FieldPointer, ...along: FieldPointer[]) => dragWith(listenTool, from, ...along);

describe('notes', () => {
  it('are chosen by a click, added to with Shift, taken out with Ctrl', () => {
    click(onNote(0));
    click(onNote(2, 0.5, { shift: true }));
    expect(chosen()).toEqual([0, 2]);
    click(onNote(0, 0.5, { ctrl: true }));
    expect(chosen()).toEqual([2]);
  });

  it('are cut at the pointer by a double click', () => {
    const p = onNote(1);
    click(p);
    click(p);
    expect(spans().slice(1, 3)).toEqual([
      [1.1, 1.5],
      [1.5, 1.9],
    ]);
    undo();
    expect(corrections()).toBeNull();
  });

  it('have borders that are dragged, as one step', () => {
    const from = at(1.9, 60);
    expect(cursorAt(listenTool, from)).toBe('ew-resize');
    const press = new Press(from, listenTool);
    for (const t of [1.85, 1.8, 1.7]) {
      const to = at(t, 60);
      expect(press.move(to)!.tag!.text).toBe(`${to.time.toFixed(3)} s`);
    }
    press.up(at(1.7, 60));
    expect(s().history!.entries).toHaveLength(1);
    expect(spans()[1][1]).toBeCloseTo(1.7, 1);
    undo();
    expect(spans()[1]).toEqual([1.1, 1.9]);
  });

  it('are added where there are none, by dragging over the place', () => {
    const mark = drag(at(4.05, 64), at(4.6, 64));
    expect(mark!.tag!.text).toBe('new note, 0.55 s');
    expect(corrections()!.regions).toHaveLength(1);
    // over notes the same draws a rubber band
    drag(at(0.5, 64), at(2.5, 58));
    expect(chosen().length).toBeGreaterThan(1);
    expect(corrections()!.regions).toHaveLength(1);
  });
});

describe('another way to hear', () => {
  it('is taken by clicking its rail', () => {
    click(onNote(1));
    expect(cursorAt(listenTool, at(1.5, 67))).toBe('default');
    alsoHeard(67);
    click(onNote(1));
    const p = at(1.5, 67);
    expect(Math.abs(p.y - yOf(view, layout, 67))).toBeLessThan(1);
    expect(cursorAt(listenTool, p)).toBe('pointer');
    click(p);
    expect(corrections()!.heard.map(h => h.midi)).toEqual([expect.closeTo(67, 4)]);
    expect(corrections()!.heard[0].start).toBeCloseTo(1.1, 2);
  });
});

describe('the lane of unpitched sounds', () => {
  it('chooses a sound by a click and lets go beside it', () => {
    click(inNoises(4.25));
    expect(s().selection.span).toEqual({ start: 4.1, end: 4.4 });
    click(inNoises(3.2));
    expect(s().selection.span).toBeNull();
  });

  it('marks a stretch by dragging, and moves the borders of a sound', () => {
    expect(drag(inNoises(2.05), inNoises(3.02))).toBeNull();
    expect(s().selection.span!.start).toBeCloseTo(2.05, 2);
    expect(s().selection.span!.end).toBeCloseTo(3.02, 2);
    expect(cursorAt(listenTool, inNoises(4.4))).toBe('ew-resize');
    expect(cursorAt(listenTool, inNoises(4.25))).toBe('default');
    drag(inNoises(4.4), inNoises(4.5));
    const moved = corrections()!.kinds.find(k => k.kind === 'breath')!;
    expect(moved.end).toBeCloseTo(4.5, 2);
  });
});

test('a gesture that is given up leaves no trace', () => {
  const adding = new Press(at(4.05, 64), listenTool);
  adding.move(at(4.6, 64));
  adding.cancel();
  adding.up(at(4.6, 64));
  expect(corrections()).toBeNull();
  const moving = new Press(at(1.9, 60), listenTool);
  moving.move(at(1.7, 60));
  expect(corrections()).toBeNull();
  expect(s().draft).not.toBeNull();
  moving.cancel();
  expect(s().draft).toBeNull();
  expect(s().history!.entries).toHaveLength(0);
});
