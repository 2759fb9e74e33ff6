import type { Span } from '@essim/core';
import type { Scene } from '../scene';
import { xOf } from '../viewport';
import { box, fade, font, line, type Pen } from './shapes';

/** Spoken stretches: a band without a rail. */
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
    pen.fillText('spoken', Math.max(x0, l.ladder) + 6, l.field.bottom - 8);
  }
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
