import { panBy, pitchAt, timeAt, zoomPitch, zoomTime, type Layout, type Viewport } from './viewport';

/** Two fingers on the field. */
export interface Fingers {
  a: { x: number; y: number };
  b: { x: number; y: number };
}

/** Fingers nearer than this to each other, one way, say nothing of that way's scale, px. */
const LEAST_APART = 40;
/** Of one gesture at most so much more or less is seen. */
const MOST = 20;

const middle = ({ a, b }: Fingers) => ({ x: (a.x + b.x) / 2, y: (a.y + b.y) / 2 });
const apart = ({ a, b }: Fingers) => ({ x: Math.abs(a.x - b.x), y: Math.abs(a.y - b.y) });
const ratio = (was: number, is: number): number =>
  was < LEAST_APART ? 1 : Math.max(1 / MOST, Math.min(MOST, was / Math.max(1, is)));

/** What is seen when two fingers that lay so lie otherwise: what was under them stays under them, time sideways, pitch up and down. */
export function pinched(view: Viewport, layout: Layout, was: Fingers, is: Fingers, duration: number): Viewport {
  const [from, to] = [middle(was), middle(is)];
  const [before, now] = [apart(was), apart(is)];
  const wider = zoomTime(view, ratio(before.x, now.x), timeAt(view, layout, from.x), duration);
  const zoomed = zoomPitch(wider, ratio(before.y, now.y), pitchAt(wider, layout, from.y), duration);
  // seen from where the fingers are now
  const [t0, t1] = [timeAt(zoomed, layout, from.x), timeAt(zoomed, layout, to.x)];
  const [p0, p1] = [pitchAt(zoomed, layout, from.y), pitchAt(zoomed, layout, to.y)];
  return panBy(zoomed, t0 - t1, p0 - p1, duration);
}

/** Fingers on a field: one does what the desk says, two go about together. The last of two that lifts does nothing more. */
export class TwoFingers {
  private readonly lying = new Map<number, { x: number; y: number }>();
  private began: { view: Viewport; layout: Layout; was: Fingers } | null = null;

  private get fingers(): Fingers {
    const [a, b] = [...this.lying.values()];
    return { a, b };
  }

  /** A finger comes down. @returns whether it is not the first: what that one began is given up */
  down(id: number, at: { x: number; y: number }, view: Viewport, layout: Layout): boolean {
    this.lying.set(id, at);
    if (this.lying.size === 2) this.began = { view, layout, was: this.fingers };
    return this.lying.size > 1;
  }

  /** A finger moves. @returns what is seen then, null while two were down and one is left; undefined: it is the only one there was */
  move(id: number, at: { x: number; y: number }, duration: number): Viewport | null | undefined {
    if (!this.lying.has(id)) return undefined;
    this.lying.set(id, at);
    if (!this.began) return undefined;
    return this.lying.size === 2
      ? pinched(this.began.view, this.began.layout, this.began.was, this.fingers, duration)
      : null;
  }

  /** A finger is lifted, or lost. @returns whether it was one of two */
  up(id: number): boolean {
    const ofTwo = this.began !== null;
    this.lying.delete(id);
    if (!this.lying.size) this.began = null;
    return ofTwo;
  }
}
