import { open, song, sung, take, track } from '../testing';
import { click, drag, layout, pointer, sceneNow, view } from '../testing-field';
import { act, editViewOf, useSession } from '../open-song';
import { setOpened } from '../open-song/state';
import { groundHandle, noteHandle } from './choosing';
import { spokenBand } from './hit';
import type { FieldPointer } from './tool';
import { xOf } from './viewport';

/** Two notes sung, and two syllables spoken after them. */
beforeEach(async () => {
  const known = sung(60, [2]);
  const frames = 1000;
  const reading = {
    ...known.reading!,
    f0: new Float32Array(frames),
    levelDb: new Float32Array(frames).fill(-20),
    vowelsDb: new Float32Array(frames).fill(-90),
    spoken: [{ start: 3, end: 3.8 }],
  };
  for (const start of [3, 3.45])
    for (let k = Math.round(start * 200); k < Math.round((start + 0.3) * 200); k++) {
      reading.f0[k] = 150;
      reading.vowelsDb[k] = -20 - 14 * ((2 * (k / 200 - start)) / 0.3 - 1) ** 2;
    }
  await open(song([track('Lead', [take('l')])]), { l: { ...known, reading } });
});
afterEach(() => setOpened(null));

const tool = { handles: [noteHandle(), groundHandle] };
const s = () => useSession.getState();
const spoken = () => editViewOf(s()).syllables.filter(n => n.spoken);
const foot = (spokenBand(layout).top + spokenBand(layout).bottom) / 2;
const at = (time: number, y = foot, fields: Partial<FieldPointer> = {}) =>
  pointer(xOf(view, layout, time), y, fields, sceneNow({ view }));
const chosen = () => [...s().selection.notes];

describe('what is spoken, along the foot of the field', () => {
  it('is chosen by a click, several with Ctrl and Shift, and let go of beside it', () => {
    const [a, b] = spoken();
    click(tool, at(3.1));
    expect(chosen()).toEqual([a.key]);
    click(tool, at(3.6, foot, { shift: true }));
    expect(chosen()).toEqual([a.key, b.key]);
    click(tool, at(3.1, foot, { ctrl: true }));
    expect(chosen()).toEqual([b.key]);
    click(tool, at(3.1, foot - 60));
    expect(chosen()).toEqual([]);
  });

  it('is in a frame that reaches it, with the notes of the frame', () => {
    drag(tool, at(0.02, layout.field.top + 2), at(3.9, foot));
    expect(chosen()).toHaveLength(4);
    drag(tool, at(2.9, layout.field.top + 2), at(3.9, foot - 40));
    expect(chosen()).toEqual([]);
  });

  it('is weighed and moved, never pitched', () => {
    click(tool, at(3.1));
    expect(act('level', { middleDb: -3 })).toBe(true);
    expect(editViewOf(s()).edits[spoken()[0].key]?.middleDb).toBe(-3);
    const before = spoken()[0].start;
    expect(act('nudge', { ms: 30 })).toBe(true);
    expect(spoken()[0].start).toBeCloseTo(before + 0.03, 2);
    expect(act('settle', {})).toBe(false);
  });
});
