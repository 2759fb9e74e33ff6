import { box } from '../../field/draw/shapes';
import type { Dress } from '../../field/dress';
import type { SceneNote } from '../../field/scene';
import { xOf, yOf, type Layout, type Viewport } from '../../field/viewport';

/** Narrower notes have no grips, px. */
const NARROWEST = 24;

/** Where a chosen note's grips lie; null where it has none. */
export function gripsOf(n: SceneNote, v: Viewport, l: Layout): { in: number; out: number; y: number } | null {
  const [x0, x1] = [xOf(v, l, n.from), xOf(v, l, n.to)];
  return n.selected && x1 - x0 >= NARROWEST ? { in: x0, out: x1, y: yOf(v, l, n.rail) } : null;
}

/** Grips at the ends of what is chosen. */
export const TUNE_DRESS: Dress = {
  over(pen, { view, layout, palette }, visible) {
    pen.fillStyle = palette.card;
    pen.strokeStyle = palette.teal;
    pen.lineWidth = 1.5;
    for (const n of visible) {
      const grips = gripsOf(n, view, layout);
      if (!grips) continue;
      for (const x of [grips.in, grips.out]) {
        box(pen, x - 3, grips.y - 6, 6, 12, 2.5);
        pen.fill();
        pen.stroke();
      }
    }
  },
};
