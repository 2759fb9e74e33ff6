import { claimed, guideNotes } from '@essim/core';
import { box, fade, font, line, type Pen } from '../../field/draw/shapes';
import type { Dress } from '../../field/dress';
import type { Scene, SceneNote } from '../../field/scene';
import { RAIL_HALF, xOf, yOf, type Layout, type Viewport } from '../../field/viewport';
import { shownPitch } from './guide-pitch';
import { drawHints, drawOffers } from './hints';

/** Narrower notes have no grips, px; half as narrow ones no handle of their glide. */
const NARROWEST = 24;

/** Where a chosen note's grips lie; null where it has none. */
export function gripsOf(n: SceneNote, v: Viewport, l: Layout): { in: number; out: number; y: number } | null {
  const [x0, x1] = [xOf(v, l, n.from), xOf(v, l, n.to)];
  return n.selected && x1 - x0 >= NARROWEST ? { in: x0, out: x1, y: yOf(v, l, n.rail) } : null;
}

/** Where the round handle of a chosen note's glide lies: between the rails it goes from and to. */
export function glideOf(
  notes: readonly SceneNote[],
  n: SceneNote,
  v: Viewport,
  l: Layout,
): { x: number; y: number } | null {
  if (!n.selected || !n.joined || xOf(v, l, n.to) - xOf(v, l, n.from) < NARROWEST / 2) return null;
  const before = notes[notes.indexOf(n) - 1] as SceneNote | undefined;
  if (!before) return null;
  const at = n.from + (n.edit?.glidePlace ?? 0) / 1000;
  const y = (yOf(v, l, before.rail) + yOf(v, l, n.rail)) / 2;
  // on one row it would lie under the grip
  return Math.abs(yOf(v, l, before.rail) - yOf(v, l, n.rail)) < 20 ? null : { x: xOf(v, l, at), y };
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

const BAND = 15;

/** Where the track is tuned as a whole: a band over the rows, with how fast it settles. */
function drawWhole(pen: Pen, { view, layout, palette, whole }: Scene): void {
  const { top } = layout.field;
  pen.font = font(10.5, 600);
  pen.textAlign = 'left';
  pen.textBaseline = 'middle';
  for (const { start, end, settleMs, to } of whole) {
    const x0 = Math.max(layout.ladder, xOf(view, layout, start));
    const x1 = Math.min(layout.width, xOf(view, layout, end));
    if (x1 <= x0) continue;
    pen.fillStyle = fade(palette.teal, 0.14);
    pen.fillRect(x0, top, x1 - x0, BAND);
    pen.fillStyle = palette.tealDeep;
    pen.save();
    pen.beginPath();
    pen.rect(x0, top, x1 - x0, BAND);
    pen.clip();
    pen.fillText(`whole take, ${settleMs} ms${to === 'guide' ? ', to the guide' : ''}`, x0 + 7, top + BAND / 2 + 0.5);
    pen.restore();
  }
}

/** The melody guide: hollow rails, and a thin leader to the note each one claims. */
function drawGuide(pen: Pen, { view, layout, palette, guide, notes }: Scene): void {
  if (!guide) return;
  const claims = new Map<number, SceneNote>();
  const near = new Map<number, number>();
  for (const n of notes) {
    if (n.to < view.from - 5 || n.from > view.to + 5) continue;
    const found = claimed(guide, { start: n.from, end: n.to, sung: n.sung });
    if (!found) continue;
    if (!claims.has(found.index)) claims.set(found.index, n);
    near.set(found.index, found.midi);
  }
  pen.lineWidth = 1.2;
  for (const g of guideNotes(guide)) {
    if (g.end < view.from || g.start > view.to) continue;
    const [x0, x1] = [xOf(view, layout, g.start), xOf(view, layout, g.end)];
    const y = yOf(view, layout, near.get(g.index) ?? shownPitch(guide, g, (view.low + view.high) / 2));
    pen.strokeStyle = palette.ink2;
    box(pen, x0, y - RAIL_HALF, x1 - x0, 2 * RAIL_HALF, 5);
    pen.stroke();
    const note = claims.get(g.index);
    if (!note) continue;
    const x = xOf(view, layout, (Math.max(note.from, g.start) + Math.min(note.to, g.end)) / 2);
    const to = yOf(view, layout, note.rail);
    if (Math.abs(to - y) < 2 * RAIL_HALF) continue;
    pen.strokeStyle = fade(palette.ink2, 0.6);
    line(pen, x, y + (to > y ? RAIL_HALF : -RAIL_HALF), x, to);
  }
}

/** Grips at the ends of what is chosen, and the envelope of its vibrato. */
export const TUNE_DRESS: Dress = {
  under(pen, scene) {
    drawWhole(pen, scene);
    drawGuide(pen, scene);
    drawOffers(pen, scene);
  },
  over(pen, scene, visible) {
    const { view, layout, palette, notes } = scene;
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
    for (const n of visible) {
      const at = glideOf(notes, n, view, layout);
      if (!at) continue;
      pen.beginPath();
      pen.arc(at.x, at.y, 4.5, 0, 2 * Math.PI);
      pen.fillStyle = palette.card;
      pen.strokeStyle = palette.teal;
      pen.fill();
      pen.stroke();
    }
    drawHints(pen, scene, visible);
  },
};
