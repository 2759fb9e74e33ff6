import type { Palette } from '../palette';
import { box, font, type Pen } from './shapes';

/** Room a tag takes from one line to the next, px. */
export const TAG_HEIGHT = 14;

/** Amber tags of one lane: what needs a look, in a few letters. None stands on another. */
export class Tags {
  private readonly there: { x: number; y: number; width: number }[] = [];

  constructor(
    private readonly pen: Pen,
    private readonly palette: Palette,
  ) {}

  /** Puts one with its left upper corner at a place, unless it would stand on another. */
  put(text: string, x: number, y: number): void {
    const { pen, palette: p, there } = this;
    pen.font = font(10, 600);
    const width = pen.measureText(text).width + 8;
    if (there.some(t => Math.abs(t.y - y) < TAG_HEIGHT && t.x < x + width && x < t.x + t.width)) return;
    there.push({ x, y, width });
    pen.fillStyle = p.amberSoft;
    box(pen, x, y, width, TAG_HEIGHT, 4);
    pen.fill();
    pen.fillStyle = p.amber;
    pen.textAlign = 'left';
    pen.textBaseline = 'middle';
    pen.fillText(text, x + 4, y + 7.5);
  }
}
