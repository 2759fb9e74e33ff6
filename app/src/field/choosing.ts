import { extend, select, toggle } from '@essim/core';
import { choose, chooseSpan, seek, useSession } from '../open-song';
import type { GestureMark } from './draw/overlay';
import type { SceneNote, SceneSyllable } from './scene';
import { handle, type Drag, type FieldPointer, type Handle } from './tool';
import { notesIn, spokenAt, spokenIn } from './hit';

/** Choosing with the pointer, the same at every desk: a click, with Ctrl or Shift several, a frame, with Alt a stretch. */

/** Whether the pressed note was chosen before: with Ctrl it is let out when it is let go, so that it can be dragged too. */
let wasChosen = false;

/** What a press on a note chooses. */
export function pressNote(p: FieldPointer): void {
  const { selection, editTrackId } = useSession.getState();
  if (!p.note) return;
  wasChosen = selection.trackId === editTrackId && selection.notes.has(p.note.key);
  if (p.shift || p.ctrl) choose(extend(selection, editTrackId, [p.note.key]));
  else if (!wasChosen) choose(select(editTrackId, [p.note.key]));
}

/** What letting go of a note that was not moved chooses: that note alone; with Ctrl, out when it was in. */
export function releaseNote(p: FieldPointer): void {
  const { selection, editTrackId } = useSession.getState();
  if (!p.note || p.shift) return;
  if (!p.ctrl) choose(select(editTrackId, [p.note.key]));
  else if (wasChosen) choose(toggle(selection, editTrackId, p.note.key));
}

/** A press on nothing, let go where it was: nothing is chosen, and the playhead goes there. */
export function pressNothing(p: FieldPointer): void {
  choose(select(useSession.getState().editTrackId, []));
  seek(p.time);
}

const bandOf = (a: FieldPointer, b: FieldPointer) => ({ x0: a.x, y0: a.y, x1: b.x, y1: b.y });

/** Draws a frame round notes; with Alt a stretch that may cut through them. Esc chooses again what was chosen. */
export function chooseDrag(start: FieldPointer): Drag {
  const before = useSession.getState().selection;
  return {
    move(now): GestureMark | null {
      const { scene } = now;
      if (!scene) return null;
      if (start.alt) {
        const { span } = chooseSpan(start.time, now.time);
        return { tag: { x: now.x + 14, y: now.y - 32, text: `${(span.end - span.start).toFixed(2)} s` } };
      }
      const { editTrackId } = useSession.getState();
      const keys = [...notesIn(scene.notes, scene.view, scene.layout, start, now), ...spokenIn(scene, start, now)].map(
        n => n.key,
      );
      choose(start.shift || start.ctrl ? extend(before, editTrackId, keys) : select(editTrackId, keys));
      return { band: bandOf(start, now) };
    },
    drop() {},
    cancel: () => choose(before),
  };
}

/** A desk's notes as they are chosen; what it does with them besides is given. */
export const noteHandle = (does: Partial<Pick<Handle<SceneNote>, 'cursor' | 'grab'>> = {}): Handle =>
  handle<SceneNote>({
    hit: p => (p.area === 'field' ? p.note : null),
    cursor: () => 'pointer',
    press: pressNote,
    click: releaseNote,
    ...does,
  });

/** What is spoken at a pointer: it stands along the field's foot. */
const spokenUnder = (p: FieldPointer): SceneSyllable | null =>
  p.area === 'field' && p.scene ? spokenAt(p.scene, p.x, p.y) : null;

/** The field between notes: dragging chooses, a click chooses what is spoken there, or lets go of what was chosen. */
export const groundHandle: Handle = handle<{ spoken: SceneSyllable | null }>({
  hit: p => (p.area === 'field' ? { spoken: spokenUnder(p) } : null),
  cursor: (_, { spoken }) => (spoken ? 'pointer' : 'default'),
  grab: chooseDrag,
  click(p, { spoken }) {
    const { selection, editTrackId } = useSession.getState();
    if (!spoken) pressNothing(p);
    else if (p.ctrl) choose(toggle(selection, editTrackId, spoken.key));
    else if (p.shift) choose(extend(selection, editTrackId, [spoken.key]));
    else choose(select(editTrackId, [spoken.key]));
  },
});
