import type { Span } from '@essim/core';
import { spokenBand } from '../hit';
import type { Scene, SceneSyllable } from '../scene';
import { xOf } from '../viewport';
import { box, fade, fitted, font, line, type Pen } from './shapes';

/** Spoken stretches: a band without a rail, its syllables along its foot. */
export function drawSpoken(pen: Pen, s: Scene): void {
  const { view: v, layout: l, palette: p } = s;
  for (const q of s.reading?.spoken ?? []) {
    if (q.end < v.from || q.start > v.to) continue;
    const [x0, x1] = [xOf(v, l, q.start), xOf(v, l, q.end)];
    pen.fillStyle = fade(p.slate, 0.12);
    pen.fillRect(x0, l.field.top, x1 - x0, l.field.bottom - l.field.top);
    pen.font = font(11, 600);
    pen.textAlign = 'left';
    pen.textBaseline = 'alphabetic';
    pen.fillStyle = p.ink2;
    pen.fillText('spoken', Math.max(x0, l.ladder) + 6, spokenBand(l).top - 6);
  }
  for (const n of s.spoken) if (n.to > v.from && n.from < v.to) drawSyllable(pen, s, n);
}

function drawSyllable(pen: Pen, { view: v, layout: l, palette: p }: Scene, n: SceneSyllable): void {
  const { top, bottom } = spokenBand(l);
  const [x0, x1] = [xOf(v, l, n.from) + 1, xOf(v, l, n.to) - 1];
  const gone = n.edit?.silent !== undefined;
  pen.fillStyle = n.selected ? fade(p.teal, 0.22) : fade(p.slate, gone ? 0.06 : 0.2);
  box(pen, x0, top, Math.max(3, x1 - x0), bottom - top, 5);
  pen.fill();
  if (n.selected || gone) {
    pen.strokeStyle = n.selected ? p.teal : p.ink3;
    pen.lineWidth = n.selected ? 1.8 : 1;
    pen.setLineDash(gone ? [3, 3] : []);
    pen.stroke();
    pen.setLineDash([]);
  }
  if (!n.word) return;
  pen.font = font(11);
  pen.textAlign = 'left';
  pen.textBaseline = 'middle';
  pen.fillStyle = p.ink;
  pen.fillText(fitted(pen, n.word, x1 - x0 - 6), x0 + 4, (top + bottom) / 2 + 0.5);
}

/** The chosen stretch: through the field, and a box in the lane of unpitched sounds. */
export function drawSpan(pen: Pen, s: Scene, span: Span): void {
  const { view: v, layout: l, palette: p } = s;
  const [x0, x1] = [Math.max(l.ladder, xOf(v, l, span.start)), xOf(v, l, span.end)];
  if (x1 <= x0) return;
  pen.fillStyle = fade(p.teal, 0.09);
  pen.fillRect(x0, l.field.top, x1 - x0, l.field.bottom - l.field.top);
  pen.strokeStyle = p.teal;
  pen.lineWidth = 1.6;
  for (const x of [x0, x1]) line(pen, Math.round(x) + 0.5, l.field.top, Math.round(x) + 0.5, l.field.bottom);
  if (l.noises.bottom <= l.noises.top) return;
  pen.fillStyle = fade(p.teal, 0.12);
  box(pen, x0, l.noises.top + 3, x1 - x0, l.noises.bottom - l.noises.top - 6, 4);
  pen.fill();
  pen.stroke();
}
