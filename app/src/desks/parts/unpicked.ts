import type { UnpickedNote } from '@essim/core';
import { fade, font, type Pen } from '../../field/draw/shapes';
import type { Palette } from '../../field/palette';
import type { Scene } from '../../field/scene';
import { handle, type FieldPointer } from '../../field/tool';
import { xOf, yOf } from '../../field/viewport';
import { toggleNote, unpickedNow } from '../../commands/unpicking';
import { useSource } from './state';

/** What was unpicked of a recorded chord, as rails in the field: stronger the likelier they are, a click takes one in or out. */

const HEIGHT = 11;
const COLOURS: readonly (keyof Palette)[] = ['rose', 'violet', 'blue', 'slate'];
/** Each line has a pattern of its own besides its colour. */
const DASHES: readonly number[][] = [[], [7, 3], [2, 3], [9, 3, 2, 3]];

export const lineColour = (line: number): keyof Palette => COLOURS[line % COLOURS.length];

const boxOf = ({ view, layout }: Pick<Scene, 'view' | 'layout'>, n: UnpickedNote) => {
  const x = xOf(view, layout, n.start);
  return { x, width: Math.max(4, xOf(view, layout, n.end) - x - 1), y: yOf(view, layout, n.midi) };
};

const shown = () => (useSource.getState().source === 'unpick' ? unpickedNow() : null);

export function drawUnpicked(pen: Pen, scene: Scene): void {
  const found = shown();
  if (!found) return;
  const { palette, view } = scene;
  pen.save();
  pen.font = font(10, 600);
  found.notes.forEach((n, i) => {
    if (n.end < view.from || n.start > view.to) return;
    const { x, width, y } = boxOf(scene, n);
    const colour = palette[lineColour(n.line)];
    const out = found.out.has(i);
    pen.beginPath();
    pen.roundRect(x, y - HEIGHT / 2, width, HEIGHT, 4);
    if (!out) {
      pen.fillStyle = fade(colour, 0.15 + 0.5 * n.strength);
      pen.fill();
    }
    pen.strokeStyle = fade(colour, out ? 0.5 : 1);
    pen.lineWidth = out ? 1 : 1.6;
    pen.setLineDash(out ? [2, 4] : DASHES[n.line % DASHES.length]);
    pen.stroke();
  });
  pen.restore();
}

function noteAt(p: FieldPointer): number | null {
  const found = shown();
  if (!found || p.area !== 'field' || !p.scene) return null;
  const i = found.notes.findLastIndex(n => {
    const { x, width, y } = boxOf(p.scene!, n);
    return p.x >= x && p.x <= x + width && Math.abs(p.y - y) <= HEIGHT / 2 + 1;
  });
  return i < 0 ? null : i;
}

export const unpickedHandle = handle<number>({
  hit: noteAt,
  cursor: () => 'pointer',
  click: (_, i) => toggleNote(i),
});
