import type { Alternative } from '@essim/core';
import type { Scene } from '../scene';
import { stripX } from '../viewport';
import { box, font, type Pen } from './shapes';

/** Tabs of a phrase's tunings, on its card in the song strip. */

const WIDTH = 15;
const HEIGHT = 14;

export interface Tab {
  x: number;
  y: number;
  of: Alternative;
}

export function tabsOf({ alternatives, layout, duration }: Scene): Tab[] {
  const y = layout.strip.bottom - HEIGHT - 4;
  const seen = new Map<number, number>();
  return alternatives.map(of => {
    const i = seen.get(of.start) ?? 0;
    seen.set(of.start, i + 1);
    return { x: stripX(layout, duration, of.start) + 2 + i * (WIDTH + 2), y, of };
  });
}

export const tabAt = (s: Scene, x: number, y: number): Tab | null =>
  tabsOf(s).find(t => x >= t.x && x <= t.x + WIDTH && y >= t.y && y <= t.y + HEIGHT) ?? null;

export function drawTabs(pen: Pen, s: Scene): void {
  const { palette: p } = s;
  pen.font = font(10, 700);
  pen.textAlign = 'center';
  pen.textBaseline = 'middle';
  for (const { x, y, of } of tabsOf(s)) {
    pen.fillStyle = of.heard ? p.teal : p.card;
    box(pen, x, y, WIDTH, HEIGHT, 4);
    pen.fill();
    pen.strokeStyle = of.heard ? p.teal : p.ink3;
    pen.lineWidth = 1;
    pen.stroke();
    pen.fillStyle = of.heard ? p.card : p.ink2;
    pen.fillText(of.name.slice(0, 1), x + WIDTH / 2, y + HEIGHT / 2 + 0.5);
  }
}
