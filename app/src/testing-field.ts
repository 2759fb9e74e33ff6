import type { GestureMark } from './field/draw/overlay';
import { Press, type FieldPointer, type FieldTool } from './field/tool';
import { PLAIN } from './field/dress';
import { areaAt, noteAt } from './field/hit';
import { sceneNotes, sceneSpoken, type Scene } from './field/scene';
import { layoutFor, pitchAt, timeAt, xOf, yOf, type Viewport } from './field/viewport';
import { editViewOf, scaleAtOf, useSession } from './open-song';

/** The field and a pointer over it, for tests of what the desks do with it. */

export const layout = layoutFor(1000, 640);
export const view: Viewport = { from: 0, to: 8, low: 54, high: 72 };

/** What the field shows of the edited track now. */
export function sceneNow(more: Partial<Scene> = {}): Scene {
  const s = useSession.getState();
  const track = editViewOf(s);
  const { notes, words, reading, edits } = track;
  return {
    layout,
    view,
    reading,
    dress: PLAIN,
    notes: sceneNotes({
      facts: notes,
      edits,
      words,
      selected: s.selection.notes,
      scaleAt: scaleAtOf(s),
    }),
    spoken: sceneSpoken(track, s.selection.notes),
    ...more,
  } as Scene;
}

/** The pointer at a place of the canvas. */
export function pointer(x: number, y: number, fields: Partial<FieldPointer> = {}, scene = sceneNow()): FieldPointer {
  return {
    x,
    y,
    time: timeAt(view, layout, x),
    pitch: pitchAt(view, layout, y),
    note: noteAt(scene.notes, view, layout, x, y),
    area: areaAt(layout, x, y),
    scene,
    shift: false,
    alt: false,
    ctrl: false,
    ...fields,
  };
}
/** The same at a moment and a pitch of the field. */
export const at = (time: number, midi: number, fields: Partial<FieldPointer> = {}, scene = sceneNow()): FieldPointer =>
  pointer(xOf(view, layout, time), yOf(view, layout, midi), fields, scene);
/** In the lane of unpitched sounds. */
export const inNoises = (time: number, fields: Partial<FieldPointer> = {}): FieldPointer =>
  pointer(xOf(view, layout, time), layout.noises.top + 20, fields);

/** A press let go where it was. */
export const click = (tool: FieldTool, p: FieldPointer): void => new Press(p, tool).up(p);

/** A press moved along some places and let go at the last. @returns what was drawn there */
export function drag(tool: FieldTool, from: FieldPointer, ...along: FieldPointer[]): GestureMark | null {
  const press = new Press(from, tool);
  let mark: GestureMark | null = null;
  for (const p of along) mark = press.move(p);
  press.up(along[along.length - 1]);
  return mark;
}
