import { noteName, type UnpickedNote } from '@essim/core';
import { fade, font, type Pen } from '../../field/draw/shapes';
import type { Palette } from '../../field/palette';
import type { Scene } from '../../field/scene';
import { handle, type FieldPointer } from '../../field/tool';
import { xOf, yOf } from '../../field/viewport';
import {
  addUnpicked,
  chooseUnpicked,
  joinUnpicked,
  moveUnpicked,
  partUnpicked,
  takeBackUnpicked,
  toggleNote,
  unpickedNow,
  useUnpicked,
} from '../../commands/unpicking';
import { keyAt, useSession } from '../../open-song';
import { useSource } from './state';

/**
 * What was unpicked of a recorded chord, as rails in the field, stronger the likelier they are. A click takes one in or out, with Alt it is
 * sung anew there, with Shift it is one with the next; ends and bodies are dragged, and Ctrl and a click adds one. */

const HEIGHT = 11;
const COLOURS: readonly (keyof Palette)[] = ['rose', 'violet', 'blue', 'slate'];
/** Each line has a pattern of its own besides its colour. */
const DASHES: readonly number[][] = [[], [7, 3], [2, 3], [9, 3, 2, 3]];

export const lineColour = (line: number): keyof Palette => COLOURS[line % COLOURS.length];

const boxOf = ({ view, layout }: Pick<Scene, 'view' | 'layout'>, n: UnpickedNote) => {
  const x = xOf(view, layout, n.start);
  return { x, width: Math.max(4, xOf(view, layout, n.end) - x - 1), y: yOf(view, layout, n.midi) };
};

export const unpickedShown = () => (useSource.getState().source === 'unpick' ? unpickedNow() : null);

export function drawUnpicked(pen: Pen, scene: Scene): void {
  const found = unpickedShown();
  if (!found) return;
  const { chosen } = useUnpicked.getState();
  const { palette, view } = scene;
  pen.save();
  pen.font = font(10, 600);
  found.notes.forEach((n, i) => {
    if (n.end < view.from || n.start > view.to) return;
    const { x, width, y } = boxOf(scene, n);
    // what is played on keys is nobody's colour
    const colour = palette[n.is === 'played' ? 'slate' : lineColour(n.line)];
    pen.beginPath();
    pen.roundRect(x, y - HEIGHT / 2, width, HEIGHT, n.is === 'played' ? 1 : 4);
    if (n.is === 'taken') {
      pen.fillStyle = fade(colour, 0.15 + 0.5 * n.strength);
      pen.fill();
    }
    pen.strokeStyle = fade(colour, n.is === 'taken' ? 1 : 0.25 + 0.5 * n.strength);
    pen.lineWidth = n.is === 'taken' ? 1.6 : 1;
    pen.setLineDash(n.is === 'taken' ? DASHES[n.line % DASHES.length] : [2, 4]);
    pen.stroke();
    if (i !== chosen) return;
    pen.setLineDash([]);
    pen.strokeStyle = palette.ink;
    pen.lineWidth = 1.4;
    pen.strokeRect(x - 2.5, y - HEIGHT / 2 - 2.5, width + 5, HEIGHT + 5);
  });
  pen.restore();
}

interface Held {
  index: number;
  at: 'start' | 'end' | 'body';
}
/** So near an end it is that which is held, px, on a note that is long enough. */
const END = 5;

function noteAt(p: FieldPointer): Held | null {
  const found = unpickedShown();
  if (!found || p.area !== 'field' || !p.scene) return null;
  const index = found.notes.findLastIndex(n => {
    const { x, width, y } = boxOf(p.scene!, n);
    return p.x >= x && p.x <= x + width && Math.abs(p.y - y) <= HEIGHT / 2 + 1;
  });
  if (index < 0) return null;
  const { x, width } = boxOf(p.scene, found.notes[index]);
  const end = Math.min(END, width / 4);
  return { index, at: p.x < x + end ? 'start' : p.x > x + width - end ? 'end' : 'body' };
}

export const unpickedHandle = handle<Held>({
  hit: noteAt,
  cursor: (p, { at }) => (p.alt ? 'text' : at === 'body' ? 'pointer' : 'ew-resize'),
  click(p, { index }) {
    chooseUnpicked(index);
    if (p.alt) partUnpicked(index, p.time);
    else if (p.shift) joinUnpicked(index);
    else toggleNote(index);
  },
  grab(from, { index, at }) {
    const was = unpickedShown()!.notes[index];
    let begun = false;
    chooseUnpicked(index);
    return {
      move(now) {
        const by = now.time - from.time;
        const midi = was.midi + Math.round(now.pitch - from.pitch);
        const to = at === 'body' ? { start: was.start + by, end: was.end + by, midi } : { [at]: was[at] + by };
        moveUnpicked(index, to, begun);
        begun = true;
        const name = noteName(Math.round(at === 'body' ? midi : was.midi), keyAt(useSession.getState(), was.start));
        const text = `${name}, ${by < 0 ? '−' : '+'}${Math.round(Math.abs(by) * 1000)} ms`;
        return { tag: { x: now.x + 14, y: now.y - 32, text } };
      },
      drop: () => undefined,
      cancel: () => begun && takeBackUnpicked(),
    };
  },
});

/** Ctrl and a click where nothing was found: a note for half a beat's time, its ends to be dragged. */
export const addingHandle = handle<true>({
  hit: p => (unpickedShown() && p.ctrl && p.area === 'field' && p.scene ? true : null),
  cursor: () => 'copy',
  click(p) {
    addUnpicked(p.time, p.time + ADDED, Math.round(p.pitch));
    const found = unpickedShown()!;
    chooseUnpicked(found.notes.findIndex(n => n.start === p.time));
  },
});
const ADDED = 0.4;
