import type { GestureMark } from './draw/overlay';
import type { Area } from './hit';
import type { Scene, SceneNote } from './scene';

/** A pointer in the field, in song seconds and MIDI. */
export interface FieldPointer {
  x: number;
  y: number;
  time: number;
  pitch: number;
  note: SceneNote | null;
  area: Area;
  scene: Scene | null;
  shift: boolean;
  alt: boolean;
  ctrl: boolean;
}

/** A gesture that has begun. It shows drafts; what it makes is stored when it is dropped, and nothing is left of it when it is cancelled. */
export interface Drag {
  /** The pointer has moved with the button held. @returns what is drawn over the field meanwhile */
  move(now: FieldPointer): GestureMark | null;
  drop(now: FieldPointer): void;
  cancel(): void;
}

/** Something in the field that can be taken hold of. A desk lists its own; the first that is hit counts. */
export interface Handle<Hit = unknown> {
  /** Where it lies, if anywhere; also says in which areas a desk works. */
  hit(p: FieldPointer): Hit | null;
  /** The cursor that says what would be done. */
  cursor?(p: FieldPointer, hit: Hit): string;
  /** The button goes down on it. */
  press?(p: FieldPointer, hit: Hit): void;
  /** The pointer moves on: the gesture, or null where there is nothing to drag. */
  grab?(p: FieldPointer, hit: Hit): Drag | null;
  /** The button is let go where it went down. */
  click?(p: FieldPointer, hit: Hit): void;
}

/** What a desk does with the pointer; the field itself only looks, scrolls and seeks. */
export interface FieldTool {
  handles: readonly Handle[];
  /** The pointer moves over the field, or has left it (null). */
  over?(p: FieldPointer | null): void;
  /** The wheel turns over it, by so much. @returns whether that was meant for the desk; else the field scrolls */
  wheel?(p: FieldPointer, by: number): boolean;
}

/** A handle of its own type as one of many. */
export const handle = <Hit>(h: Handle<Hit>): Handle => h as Handle;

/** The pointer must move so far before a press becomes a drag, px. */
export const MOVED = 4;

/** One press of the pointer, from down to up, whatever handle it is on. The field and tests drive it alike. */
export class Press {
  private readonly handle: Handle | null = null;
  private readonly hit: unknown = null;
  private drag: Drag | null = null;
  private moved = false;

  constructor(
    readonly start: FieldPointer,
    { handles }: FieldTool,
  ) {
    for (const h of handles) {
      const hit = h.hit(start);
      if (hit === null) continue;
      this.handle = h;
      this.hit = hit;
      break;
    }
    this.handle?.press?.(start, this.hit);
  }

  move(now: FieldPointer): GestureMark | null {
    if (!this.moved) {
      if (Math.hypot(now.x - this.start.x, now.y - this.start.y) < MOVED) return null;
      this.moved = true;
      this.drag = this.handle?.grab?.(this.start, this.hit) ?? null;
    }
    return this.drag?.move(now) ?? null;
  }

  up(now: FieldPointer): void {
    if (this.moved) this.drag?.drop(now);
    else this.handle?.click?.(this.start, this.hit);
    this.drag = null;
  }

  /** Esc, or a pointer that was lost. @returns whether anything was going on */
  cancel(): void {
    this.drag?.cancel();
    this.drag = null;
  }
}

/** The cursor over a place, by the first handle there. */
export function cursorAt({ handles }: FieldTool, p: FieldPointer): string {
  for (const h of handles) {
    const hit = h.hit(p);
    if (hit !== null) return h.cursor?.(p, hit) ?? 'default';
  }
  return 'default';
}
