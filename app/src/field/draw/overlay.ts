import type { Palette } from '../palette';
import type { Layout } from '../viewport';
import { box, fade, font, type Pen } from './shapes';

/** What a gesture shows while it goes on. */
export interface GestureMark {
  /** Rubber band, CSS pixels. */
  band?: { x0: number; y0: number; x1: number; y1: number };
  /** Tag beside the pointer. */
  tag?: { x: number; y: number; text: string };
}

/** Rubber band and drag tag. */
export function drawOverlay(pen: Pen, l: Layout, p: Palette, mark: GestureMark | null): void {
  pen.clearRect(0, 0, l.width, l.height);
  if (mark?.band) {
    const { x0, y0, x1, y1 } = mark.band;
    pen.fillStyle = fade(p.teal, 0.1);
    pen.strokeStyle = p.teal;
    box(pen, Math.min(x0, x1), Math.min(y0, y1), Math.abs(x1 - x0), Math.abs(y1 - y0), 3);
    pen.fill();
    pen.stroke();
  }
  if (mark?.tag) {
    pen.font = font(12, 600);
    const w = pen.measureText(mark.tag.text).width + 14;
    const tx = Math.max(l.ladder + 4, Math.min(l.width - w - 4, mark.tag.x));
    const ty = Math.max(l.ruler.bottom + 4, mark.tag.y);
    pen.fillStyle = p.ink;
    box(pen, tx, ty, w, 22, 7);
    pen.fill();
    pen.fillStyle = p.card;
    pen.textBaseline = 'middle';
    pen.textAlign = 'left';
    pen.fillText(mark.tag.text, tx + 7, ty + 11.5);
  }
}
