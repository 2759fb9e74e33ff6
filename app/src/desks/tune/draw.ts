import { box, fade, type Pen } from '../../field/draw/shapes';
import type { Dress } from '../../field/dress';
import type { Scene, SceneNote } from '../../field/scene';
import { xOf, yOf, type Layout, type Viewport } from '../../field/viewport';

/** Narrower notes have no grips, px. */
const NARROWEST = 24;

/** Where a chosen note's grips lie; null where it has none. */
export function gripsOf(n: SceneNote, v: Viewport, l: Layout): { in: number; out: number; y: number } | null {
  const [x0, x1] = [xOf(v, l, n.from), xOf(v, l, n.to)];
  return n.selected && x1 - x0 >= NARROWEST ? { in: x0, out: x1, y: yOf(v, l, n.rail) } : null;
}

/** Where the added vibrato of the one chosen note lies: when it begins, when it is full, how wide it gets. */
export interface Envelope {
  note: SceneNote;
  begin: number;
  full: number;
  end: number;
  middle: number;
  top: number;
}

export function envelopeOf(notes: readonly SceneNote[], v: Viewport, l: Layout): Envelope | null {
  const chosen = notes.filter(n => n.selected);
  const added = chosen.length === 1 ? chosen[0].edit?.added : undefined;
  if (!added) return null;
  const [note] = chosen;
  const at = (t: number) => xOf(v, l, Math.min(t, note.to));
  const begin = note.onset + added.delayMs / 1000;
  const middle = yOf(v, l, note.rail);
  return {
    note,
    begin: at(begin),
    full: at(begin + added.buildMs / 1000),
    end: at(note.to),
    middle,
    top: yOf(v, l, note.rail + Math.max(added.depthCents, 15) / 100),
  };
}

/** A wedge that opens, and its three grips. */
function drawEnvelope(pen: Pen, palette: Scene['palette'], e: Envelope): void {
  const low = 2 * e.middle - e.top;
  pen.beginPath();
  pen.moveTo(e.begin, e.middle);
  pen.lineTo(e.full, e.top);
  pen.lineTo(e.end, e.top);
  pen.lineTo(e.end, low);
  pen.lineTo(e.full, low);
  pen.closePath();
  pen.fillStyle = fade(palette.teal, 0.12);
  pen.fill();
  pen.strokeStyle = fade(palette.teal, 0.6);
  pen.lineWidth = 1;
  pen.stroke();
  pen.fillStyle = palette.card;
  pen.strokeStyle = palette.teal;
  pen.lineWidth = 1.5;
  for (const [x, y] of [
    [e.begin, e.middle],
    [e.full, e.top],
    [e.end - 8, e.top],
  ]) {
    pen.beginPath();
    pen.arc(x, y, 4, 0, 2 * Math.PI);
    pen.fill();
    pen.stroke();
  }
}

/** Grips at the ends of what is chosen, and the envelope of its vibrato. */
export const TUNE_DRESS: Dress = {
  over(pen, { view, layout, palette, notes }, visible) {
    const envelope = envelopeOf(notes, view, layout);
    if (envelope) drawEnvelope(pen, palette, envelope);
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
