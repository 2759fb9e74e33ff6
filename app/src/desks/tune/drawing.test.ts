import { scaleOfKey, type NoteEdit } from '@essim/core';
import { cursorAt, Press } from '../../field/tool';
import { editViewOf, undo, useSession } from '../../open-song';
import { setOpened } from '../../open-song/state';
import { open, song, sung, take, track, withSound } from '../../testing';
import { at, click as clickWith, drag as dragWith, layout, pointer, sceneNow, view } from '../../testing-field';
import { xOf, yOf } from '../../field/viewport';
import { centreOnSpan, giveVibrato, LINE_DETAILS, setDetail, takeVibrato, useTaken } from './details';
import { envelopeOf } from './draw';
import { copyScope, cutScope, giveUpPaste, pasteScope, takePaste, usePasting } from './pasting';
import { DrawnLine, setDrawing, useDrawing } from './drawing';
import { tuneTool } from './tool';

/** Six notes a second apart, 40 cents over C4, in C major; each from .1 to .9 s of its second. */
const s = useSession.getState;
const edit = (i: number): NoteEdit | undefined => editViewOf(s()).edits[editViewOf(s()).notes[i].key];
const drawn = (i: number) => edit(i)?.drawn ?? [];
const choose = (...list: number[]) => list.forEach((i, n) => clickWith(tuneTool, at(i + 0.5, 60.4, { shift: n > 0 })));
const dragging = (...along: [number, number][]) =>
  dragWith(tuneTool, at(...along[0]), ...along.slice(1).map(p => at(...p)));

beforeEach(async () => {
  await open(song([track('lead', [take('a')])], { key: { tonic: 0, mode: 'major' } }), { a: sung(60.4, [6]) });
  withSound({ a: 6 });
});
afterEach(() => {
  setOpened(null);
  useDrawing.setState({ on: false, held: false });
  useTaken.setState({ vibrato: null });
});

describe('drawing', () => {
  beforeEach(() => setDrawing(true));

  it('writes the line over the notes it crosses, at once, as one entry', () => {
    expect(cursorAt(tuneTool, at(1.5, 60))).toBe('crosshair');
    const mark = dragging([1.4, 61], [1.7, 62], [2.3, 63]);
    expect(mark!.tag!.text).toBe('900 ms');
    expect(drawn(1)[0].slice(0, 2)).toEqual([expect.closeTo(1.4, 3), expect.closeTo(61, 3)]);
    expect(drawn(1)[0].slice(-2)[0]).toBeCloseTo(1.9, 3);
    expect(drawn(2)[0].slice(-2)).toEqual([expect.closeTo(2.3, 3), expect.closeTo(63, 3)]);
    expect(s().history!.entries).toHaveLength(1);
    undo();
    expect(drawn(1)).toEqual([]);
  });

  it('draws straight with Shift, and back over itself', () => {
    dragWith(tuneTool, at(1.2, 60), at(1.5, 66, { shift: true }), at(1.8, 62, { shift: true }));
    expect(drawn(1)).toHaveLength(1);
    expect(drawn(1)[0]).toHaveLength(4);
    const line = new DrawnLine([1, 60]);
    line.to([2, 62]);
    line.to([1.5, 65]);
    expect(line.toJSON()).toEqual([
      [1, 60],
      [1.5, 65],
      [2, 62],
    ]);
  });

  it('erases with Alt, a part of it alone', () => {
    dragging([1.2, 61], [1.8, 61]);
    dragWith(tuneTool, at(1.4, 60, { alt: true }), at(1.6, 60, { alt: true }));
    expect(drawn(1).map(d => [d[0], d[d.length - 2]])).toEqual([
      [expect.closeTo(1.2, 2), expect.closeTo(1.4, 2)],
      [expect.closeTo(1.6, 2), expect.closeTo(1.8, 2)],
    ]);
  });

  it('leaves no trace when it is given up, and says so where no note is', () => {
    const before = s().history;
    const press = new Press(at(1.4, 61), tuneTool);
    press.move(at(1.7, 62));
    expect(drawn(1)).toHaveLength(1);
    press.cancel();
    expect(drawn(1)).toEqual([]);
    expect(s().history).toBe(before);
    expect(dragging([60.2, 60], [60.8, 61])!.tag!.text).toBe('nothing sung here to draw over');
    expect(s().history).toBe(before);
  });

  it('goes from step to step with Ctrl', () => {
    const line = new Press(at(1.2, 60.2, { ctrl: true }), tuneTool);
    line.move(at(1.7, 62.3, { ctrl: true }));
    line.up(at(1.7, 62.3, { ctrl: true }));
    expect(
      drawn(1)[0]
        .filter((_, i) => i % 2)
        .every(p => Number.isInteger(p)),
    ).toBe(true);
  });

  it('is on while D is held', () => {
    setDrawing(false);
    expect(cursorAt(tuneTool, at(1.5, 67))).not.toBe('crosshair');
    useDrawing.setState({ held: true });
    expect(cursorAt(tuneTool, at(1.5, 67))).toBe('crosshair');
  });
});

describe('vibrato in the field', () => {
  const envelope = () => envelopeOf(sceneNow().notes, view, layout)!;

  it('has an envelope with three grips, and a rate under the wheel', () => {
    choose(2);
    expect(envelopeOf(sceneNow().notes, view, layout)).toBeNull();
    giveVibrato();
    const { added } = edit(2)!;
    expect(added).toMatchObject({ delayMs: 250, buildMs: 400, depthCents: 35 });
    expect(envelope().begin).toBeCloseTo(xOf(view, layout, 2.15 + 0.25), 6);
    const grip = (x: number, y: number, dx: number, dy: number) =>
      dragWith(tuneTool, pointer(x, y), pointer(x + dx, y + dy));
    const perSecond = xOf(view, layout, 1) - xOf(view, layout, 0);
    grip(envelope().begin, envelope().middle, 0.1 * perSecond, 0);
    expect(edit(2)!.added!.delayMs).toBeCloseTo(350, -1);
    grip(envelope().end - 8, envelope().top, 0, yOf(view, layout, 60.2) - yOf(view, layout, 60));
    expect(edit(2)!.added!.depthCents).toBeCloseTo(55, 0);
    const inside = pointer(envelope().end - 20, envelope().middle);
    expect(tuneTool.wheel!(inside, -100)).toBe(true);
    expect(edit(2)!.added!.rateHz).toBeCloseTo(5.6, 6);
    expect(tuneTool.wheel!(at(5, 60), -100)).toBe(false);
  });

  it('is taken from one note and put on others', () => {
    editViewOf(s()).notes[1].vibrato = { rateHz: 6.1, depthCents: 48, delayMs: 300, buildMs: 250 };
    choose(1);
    takeVibrato();
    choose(3, 4);
    giveVibrato();
    for (const i of [3, 4])
      expect(edit(i)!.added).toMatchObject({ rateHz: 6.1, depthCents: 48, delayMs: 300, buildMs: 250 });
    expect(edit(1)).toBeUndefined();
  });
});

test('a detail is set on what is chosen, shown while it is held, and off again', () => {
  choose(0, 1);
  const [tilt] = LINE_DETAILS;
  setDetail(tilt, 40, { held: true });
  expect([edit(0)!.tilt, edit(1)!.tilt]).toEqual([40, 40]);
  setDetail(tilt, 60, {});
  expect(tilt.of(edit(0))).toBe(60);
  setDetail(tilt, 0, {});
  expect(edit(0)!.tilt).toBeUndefined();
});

test('what is chosen goes to a row of the ladder, with nothing chosen a click there does nothing', () => {
  const keys = [
    {
      from: -Infinity,
      key: { tonic: 0, mode: 'major' as const },
      scale: scaleOfKey({ tonic: 0, mode: 'major' }),
    },
  ];
  const ladder = (midi: number) => pointer(10, yOf(view, layout, midi), {}, sceneNow({ keys }));
  clickWith(tuneTool, ladder(64.2));
  expect(s().history!.entries).toHaveLength(0);
  choose(1, 2);
  clickWith(tuneTool, ladder(64.2));
  for (const i of [1, 2]) expect(edit(i)).toMatchObject({ target: 64, pinned: true });
});

test('edits are copied from some notes to others: shown first, then taken', () => {
  choose(0);
  setDetail(LINE_DETAILS[0], 25, {});
  copyScope();
  choose(3);
  const before = s().history;
  pasteScope();
  expect(edit(3)).toMatchObject({ tilt: 25 });
  expect([usePasting.getState().shown, s().history]).toEqual([true, before]);
  giveUpPaste();
  expect([edit(3), usePasting.getState().shown]).toEqual([undefined, false]);
  pasteScope();
  pasteScope();
  expect(edit(3)).toMatchObject({ tilt: 25 });
  expect(s().history).not.toBe(before);
  // what was never edited is no source
  choose(4);
  expect(copyScope()).toBe(false);
  choose(5);
  pasteScope();
  takePaste();
  expect(edit(5)).toMatchObject({ tilt: 25 });
  // cut, they are gone from where they were
  choose(5);
  cutScope();
  expect(edit(5)).toBeUndefined();
});

test('end grips shape the first and last pitch with Alt, the tilt and the beginning with Ctrl', () => {
  choose(1);
  const grip = (side: 'from' | 'to', up: number, right = 0, keys = {}) => {
    const scene = sceneNow();
    const n = scene.notes[1];
    return pointer(xOf(view, layout, n[side]) + right, yOf(view, layout, n.rail) - up, keys, scene);
  };
  const row = yOf(view, layout, 60) - yOf(view, layout, 61);
  dragWith(tuneTool, grip('to', 0, 0, { ctrl: true }), grip('to', row / 2, 0, { ctrl: true }));
  expect(edit(1)!.tilt).toBeCloseTo(50, -1);
  dragWith(tuneTool, grip('from', 0, 0, { alt: true }), grip('from', -row, 0, { alt: true }));
  expect(edit(1)!.startCents).toBeCloseTo(-100, -1);
  dragWith(tuneTool, grip('to', 0, 0, { alt: true }), grip('to', row, 0, { alt: true }));
  expect(edit(1)!.endCents).toBeCloseTo(100, -1);
  dragWith(tuneTool, grip('from', 0, 0, { ctrl: true }), grip('from', 0, 20, { ctrl: true }));
  expect(edit(1)!.begin).toBeGreaterThan(20);
});

test('a double-click between notes puts what is chosen on that row', () => {
  const keys = [{ from: -Infinity, key: null, scale: scaleOfKey({ tonic: 0, mode: 'major' }) }];
  const between = (t: number, midi: number) =>
    pointer(xOf(view, layout, t), yOf(view, layout, midi), {}, sceneNow({ keys }));
  choose(1, 2);
  clickWith(tuneTool, between(1.95, 64.1));
  expect(s().selection.notes.size).toBe(0);
  clickWith(tuneTool, between(1.95, 64.1));
  for (const i of [1, 2]) expect(edit(i)).toMatchObject({ target: 64, pinned: true });
  // two clicks in two places are two clicks
  clickWith(tuneTool, between(1.95, 65.1));
  clickWith(tuneTool, between(3.95, 67.1));
  for (const i of [1, 2]) expect(edit(i)).toMatchObject({ target: 64 });
});

test('a chosen stretch counts for the centre of the note it lies in', () => {
  dragWith(tuneTool, at(1.3, 67, { alt: true }), at(1.5, 67, { alt: true }));
  centreOnSpan();
  expect(edit(1)!.centre).toMatchObject({ start: expect.closeTo(1.3, 3), end: expect.closeTo(1.5, 3) });
  choose(1);
  centreOnSpan();
  expect(edit(1)!.centre).toBeUndefined();
});
