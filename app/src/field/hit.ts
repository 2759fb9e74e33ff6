import type { Scene, SceneNote, SceneSyllable } from './scene';
import { xOf, yOf, type Layout, type Viewport } from './viewport';

/** Nearest a pointer must come to a rail or line to mean its note, px. */
const REACH = 13;

/** A place on the canvas, px. */
type Point = { x: number; y: number };

/** What lies under a point of the canvas; a desk's own lanes go by their names. */
export type Area = SharedArea | (string & {});
type SharedArea = 'strip' | 'ruler' | 'ladder' | 'field' | 'noises' | 'level';

export function areaAt(l: Layout, x: number, y: number): Area {
  if (y < l.strip.bottom) return 'strip';
  if (y < l.ruler.bottom) return 'ruler';
  for (const name in l.own) if (y >= l.own[name].top && y < l.own[name].bottom) return name;
  if (y >= l.level.top) return 'level';
  if (y >= l.noises.top) return 'noises';
  return x < l.ladder ? 'ladder' : 'field';
}

/** The note at a point: on its rail or near its line; the nearer one where two overlap. */
export function noteAt(notes: readonly SceneNote[], v: Viewport, l: Layout, x: number, y: number): SceneNote | null {
  let best: SceneNote | null = null;
  let nearest = REACH;
  for (const n of notes) {
    if (x < xOf(v, l, n.from) - 2 || x > xOf(v, l, n.to) + 2) continue;
    const away = Math.min(Math.abs(y - yOf(v, l, n.rail)), Math.abs(y - yOf(v, l, n.sung)));
    if (away < nearest) [nearest, best] = [away, n];
  }
  return best;
}

/** Where what is spoken stands: along the field's foot, px. */
export const spokenBand = (l: Layout): { top: number; bottom: number } => ({
  top: l.field.bottom - 26,
  bottom: l.field.bottom - 4,
});

/** What of a scene tells where its spoken syllables are. */
type SpokenScene = Pick<Scene, 'spoken' | 'view' | 'layout'>;

/** The spoken syllable at a point. */
export function spokenAt({ spoken, view: v, layout: l }: SpokenScene, x: number, y: number): SceneSyllable | null {
  const { top, bottom } = spokenBand(l);
  if (y < top || y > bottom) return null;
  return spoken.find(n => x >= xOf(v, l, n.from) && x <= xOf(v, l, n.to)) ?? null;
}

/** What is spoken that a rubber band touches. */
export function spokenIn({ spoken, view: v, layout: l }: SpokenScene, a: Point, b: Point): SceneSyllable[] {
  const { top, bottom } = spokenBand(l);
  if (Math.max(a.y, b.y) < top || Math.min(a.y, b.y) > bottom) return [];
  const [x0, x1] = [Math.min(a.x, b.x), Math.max(a.x, b.x)];
  return spoken.filter(n => xOf(v, l, n.to) > x0 && xOf(v, l, n.from) < x1);
}

/** Notes a rubber band touches. */
export function notesIn(notes: readonly SceneNote[], v: Viewport, l: Layout, a: Point, b: Point): SceneNote[] {
  const [x0, x1] = [Math.min(a.x, b.x), Math.max(a.x, b.x)];
  const [y0, y1] = [Math.min(a.y, b.y), Math.max(a.y, b.y)];
  return notes.filter(n => {
    const top = yOf(v, l, Math.max(n.rail, n.sung)) - 8;
    const bottom = yOf(v, l, Math.min(n.rail, n.sung)) + 8;
    return xOf(v, l, n.to) > x0 && xOf(v, l, n.from) < x1 && bottom > y0 && top < y1;
  });
}
