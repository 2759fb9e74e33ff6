import type { NoteEdit } from '@essim/core';
import { cursorAt, Press, type FieldPointer } from '../../field/tool';
import { act, editViewOf, undo, useSession } from '../../open-song';
import { setOpened } from '../../open-song/state';
import { at, click as clickWith, drag as dragWith, layout, pointer, view } from '../../testing-field';
import { xOf } from '../../field/viewport';
import { open, song, sung, take, track, withSound } from '../../testing';
import { asSungScope, faderValue, inScope, setFader, settleScope, togglePin } from './edits';
import { nudge } from '../../commands/moving';
import { useDragging } from './dragging';
import { tuneTool } from './tool';

/** Six notes a second apart, 40 cents over C4, in C major. */
const s = useSession.getState;
const notes = () => editViewOf(s()).notes;
const edit = (i: number): NoteEdit | undefined => editViewOf(s()).edits[notes()[i].key];
const targets = () => notes().map((_, i) => edit(i)?.target);
const chosen = () => notes().flatMap((n, i) => (s().selection.notes.has(n.key) ? [i] : []));
const onNote = (i: number, fields: Partial<FieldPointer> = {}, by = 0) => at(i + 0.5, 60.4 + by, fields);
const aside = (time: number, midi = 67) => at(time, midi);
const click = (p: FieldPointer) => clickWith(tuneTool, p);
const drag = (from: FieldPointer, ...along: FieldPointer[]) => dragWith(tuneTool, from, ...along);

beforeEach(async () => {
  await open(song([track('lead', [take('a')])], { key: { tonic: 0, mode: 'major' } }), { a: sung(60.4, [6]) });
  withSound({ a: 6 });
});
afterEach(() => setOpened(null));

describe('the pointer', () => {
  it('chooses a note, adds with Shift, takes out with Ctrl, and nothing beside them', () => {
    click(onNote(1));
    expect(chosen()).toEqual([1]);
    click(onNote(4, { shift: true }));
    expect(chosen()).toEqual([1, 4]);
    click(onNote(1, { ctrl: true }));
    expect(chosen()).toEqual([4]);
    click(aside(2.5));
    expect(chosen()).toEqual([]);
  });

  it('chooses with a rubber band what it touches', () => {
    expect(drag(aside(0.95, 63), at(3.05, 59))!.band).toBeDefined();
    expect(chosen()).toEqual([1, 2]);
  });

  it('chooses a stretch with Alt, and tells how long it is', () => {
    const mark = drag(at(1.2, 67, { alt: true }), at(2.7, 67, { alt: true }));
    expect(mark!.tag!.text).toBe('1.50 s');
    expect(s().selection.span).toMatchObject({ start: expect.closeTo(1.2, 6), end: expect.closeTo(2.7, 6) });
  });

  it('shapes what leads into and out of what is chosen by the grips at its ends', () => {
    const grip = (i: number, side: 'start' | 'end', dx = 0, dy = 0) => {
      const p = at(notes()[i][side], 60);
      return pointer(p.x + dx, p.y + dy);
    };
    // before it is chosen there are none
    expect(cursorAt(tuneTool, grip(2, 'start', 2))).toBe('ns-resize');
    click(onNote(2));
    expect(cursorAt(tuneTool, grip(2, 'start', 2))).toBe('move');
    const mark = drag(grip(2, 'start', 1), grip(2, 'start', 1, -30), grip(2, 'start', 1, -60));
    expect(mark!.tag!.text).toBe('Scoop 60 %');
    expect(edit(2)).toMatchObject({ scoop: 60 });
    expect(s().history!.entries).toHaveLength(1);
    drag(grip(2, 'end'), grip(2, 'end', 0, -90));
    expect(edit(2)).toMatchObject({ scoop: 60, fall: 40 });
    // given up, nothing of it is left
    const press = new Press(grip(2, 'end'), tuneTool);
    press.move(grip(2, 'end', 0, 45));
    expect(edit(2)!.fall).toBe(70);
    press.cancel();
    expect(edit(2)!.fall).toBe(40);
    undo();
    undo();
    expect(edit(2)).toBeUndefined();
  });

  it('drags the glide into a note that is joined, and says why there is none in others', () => {
    click(onNote(1));
    const from = at(notes()[1].start, 60);
    const to = pointer(from.x + 30, from.y);
    const ms = Math.round((to.time - from.time) * 1000);
    notes()[1].joined = false;
    expect(drag(from, to)!.tag!.text).toBe('no join, so no glide');
    expect(edit(1)).toBeUndefined();
    notes()[1].joined = true;
    drag(from, to);
    expect(edit(1)!.glide).toBeCloseTo(Math.round((80 + ms) / 5) * 5, 6);
  });

  it('drags a note by steps of the key, and pins it', () => {
    const mark = drag(onNote(2), onNote(2, {}, 2.2));
    expect(edit(2)).toMatchObject({ target: 62, pinned: true });
    expect(mark!.tag!.text).toContain('D4');
    expect(mark!.tag!.text).toContain('+160 cents from sung');
    expect(targets().filter(t => t !== undefined)).toHaveLength(1);
    undo();
    expect(edit(2)).toBeUndefined();
  });

  it.each([
    ['Ctrl', { ctrl: true }, 1.2, 62],
    ['Alt', { alt: true }, 1.13, 61.53],
    ['Shift, a tenth of the way', { shift: true }, 1, 60.5],
  ])('drags by semitones, freely or finely with %s', (_, fields, by, target) => {
    drag(onNote(3), onNote(3, fields, by));
    expect(edit(3)!.target).toBeCloseTo(target, 6);
  });

  it('drags all that is chosen, shows it at once, and leaves no trace when it is given up', () => {
    click(onNote(0));
    click(onNote(1, { shift: true }));
    const before = s().history;
    const press = new Press(onNote(1), tuneTool);
    press.move(onNote(1, {}, 4));
    expect(targets().slice(0, 3)).toEqual([64, 64, undefined]);
    expect(s().history).toBe(before);
    press.cancel();
    expect(targets().every(t => t === undefined)).toBe(true);
    press.up(onNote(1, {}, 4));
    expect(s().history).toBe(before);
    drag(onNote(1), onNote(1, {}, 2), onNote(1, {}, 4));
    expect(targets().slice(0, 3)).toEqual([64, 64, undefined]);
    expect(s().history!.entries).toHaveLength(1);
  });

  it('sideways tunes nothing', () => {
    const before = s().history;
    drag(onNote(2), at(3.1, 60.4));
    expect(s().history).toBe(before);
  });

  it('with Ctrl held before the press moves by semitones', () => {
    click(onNote(3));
    drag(onNote(3, { ctrl: true }), onNote(3, { ctrl: true }, 1.2));
    expect(edit(3)!.target).toBe(62);
  });

  it('by semitones keeps to the reference pitch', async () => {
    await open(song([track('lead', [take('a')])], { referenceHz: 450 }), { a: sung(60.4, [6]) });
    drag(onNote(2), onNote(2, { ctrl: true }, 0.9));
    expect(edit(2)!.target).toBeCloseTo(61 + 12 * Math.log2(450 / 440), 5);
  });

  it('beside the notes goes to that moment', () => {
    const player = withSound({ a: 6 }).player;
    useSession.setState({ duration: 6 });
    click(pointer(xOf(view, layout, 3.3), layout.field.top + 20));
    expect(player.position).toBeCloseTo(3.3, 2);
  });
});

describe('the commands', () => {
  const pick = (...is: number[]) => {
    is.forEach((i, k) => click(onNote(i, { shift: k > 0 })));
  };

  it('settle what is chosen on the key; as sung takes it back', () => {
    pick(0, 1);
    settleScope();
    expect(targets().slice(0, 3)).toEqual([60, 60, undefined]);
    pick(1);
    asSungScope();
    expect(targets().slice(0, 2)).toEqual([60, undefined]);
  });

  it('settling leaves a pinned note where it was put', () => {
    pick(0);
    nudge(1, 'step');
    pick(0, 1);
    settleScope();
    expect(targets().slice(0, 2)).toEqual([62, 60]);
    togglePin();
    togglePin();
    expect(edit(1)!.pinned).toBeUndefined();
  });

  it.each([
    ['step', 1, 62],
    ['step', -1, 59],
    ['semitone', 1, 61],
    ['fine', 1, 60.45],
    ['fine', -1, 60.35],
  ] as const)('nudge by a %s (%d)', (size, by, target) => {
    pick(2);
    nudge(by, size);
    expect(edit(2)!.target).toBeCloseTo(target, 6);
  });

  it('nudges of the same notes are one entry', () => {
    pick(2);
    for (let i = 0; i < 3; i++) nudge(1, 'step');
    expect(edit(2)!.target).toBe(65);
    undo();
    expect(edit(2)).toBeUndefined();
  });

  it('faders act on what is chosen; aim gives a target, and back to as sung is no edit', () => {
    pick(0, 3);
    setFader('wander', 20, {});
    setFader('aim', 50, {});
    expect(edit(0)).toMatchObject({ wander: 20, aim: 50, target: 60 });
    expect(edit(3)).toMatchObject({ wander: 20, aim: 50, target: 60 });
    const [first] = inScope();
    expect([faderValue(first, 'wander'), faderValue(first, 'aim'), faderValue(first, 'vibrato')]).toEqual([
      20, 50, 100,
    ]);
    setFader('wander', null, {});
    expect(edit(0)!.wander).toBeUndefined();
    expect(edit(1)).toBeUndefined();
  });
});

describe('what a drag snaps to', () => {
  afterEach(() => useDragging.setState({ snap: 'key', sound: 'note' }));
  const raised = (by: number, fields: Partial<FieldPointer> = {}) => {
    drag(onNote(2), onNote(2, fields, by / 2), onNote(2, fields, by));
    return edit(2)!.target!;
  };

  it('is the key, a half tone with Ctrl, and nothing with Alt', () => {
    expect(raised(1.3)).toBe(62);
    undo();
    expect(raised(0.9, { ctrl: true })).toBe(61);
    undo();
    expect(raised(0.9, { alt: true })).toBeCloseTo(61.3, 1);
  });

  it('or what was chosen for it', () => {
    useDragging.setState({ snap: 'free' });
    expect(raised(0.9)).toBeCloseTo(61.3, 1);
    undo();
    useDragging.setState({ snap: 'semitone' });
    expect(raised(0.9)).toBe(61);
  });

  it('the tones of the chord need chords', () => {
    useDragging.setState({ snap: 'chord' });
    drag(onNote(2), onNote(2, {}, 2), onNote(2, {}, 4));
    expect(edit(2)).toBeUndefined();
    act('chords', { list: [[0, 'C']] });
    expect(raised(2.4)).toBe(64);
  });
});
