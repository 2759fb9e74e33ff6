import { scopeIn, type Span } from '@essim/core';
import { create } from 'zustand';
import { isTyping } from '../../keyboard/typing';
import { handle, type Drag, type FieldPointer } from '../../field/tool';
import { act, drop, editViewOf, giveUp, targetOf, useSession } from '../../open-song';

/** Drawing the pitch in the field: while D is held, or until Esc where it was switched on. */

interface Drawing {
  on: boolean;
  /** D is down. */
  held: boolean;
}
export const useDrawing = create<Drawing>(() => ({ on: false, held: false }));
export const setDrawing = (on: boolean): void => useDrawing.setState({ on });
const isDrawing = () => useDrawing.getState().on || useDrawing.getState().held;

/** Watches D and Esc while the desk is open. @returns what ends it */
export function watchDrawing(): () => void {
  const down = (e: KeyboardEvent) => {
    if (e.key === 'Escape' && useDrawing.getState().on) {
      setDrawing(false);
      e.stopPropagation();
      return;
    }
    if (e.key.toLowerCase() !== 'd' || e.ctrlKey || e.metaKey || e.altKey || isTyping(e)) return;
    useDrawing.setState({ held: true });
  };
  const up = (e: KeyboardEvent) => e.key.toLowerCase() === 'd' && useDrawing.setState({ held: false });
  const lose = () => useDrawing.setState({ held: false });
  window.addEventListener('keydown', down);
  window.addEventListener('keyup', up);
  window.addEventListener('blur', lose);
  return () => {
    window.removeEventListener('keydown', down);
    window.removeEventListener('keyup', up);
    window.removeEventListener('blur', lose);
    useDrawing.setState({ on: false, held: false });
  };
}

type Point = readonly [time: number, pitch: number];

/** A line as it is drawn: to and fro, the last way over a moment counts. */
export class DrawnLine {
  private points: Point[] = [];

  constructor(private at: Point) {
    this.points = [at];
  }

  to(next: Point): void {
    const [from, to] = [Math.min(this.at[0], next[0]), Math.max(this.at[0], next[0])];
    const kept = this.points.filter(([t]) => t < from || t > to);
    this.points = [...kept, this.at, next].sort((a, b) => a[0] - b[0]);
    this.at = next;
  }

  toJSON(): readonly Point[] {
    return this.points;
  }
}

const isNarrow = (points: readonly Point[]) => points[points.length - 1][0] - points[0][0] < 0.01;
const notesIn = (span: Span) => scopeIn(editViewOf(useSession.getState()).notes, span);

function drawFrom(start: FieldPointer): Drag {
  const first: Point = [Math.max(0, start.time), start.pitch];
  const free = new DrawnLine(first);
  return {
    move(now) {
      const here: Point = [Math.max(0, now.time), now.pitch];
      free.to(here);
      const points = now.shift ? [first, here].sort((a, b) => a[0] - b[0]) : free.toJSON();
      const tag = (text: string) => ({ tag: { x: now.x + 16, y: now.y - 30, text } });
      if (isNarrow(points)) return null;
      const parts = notesIn({ start: points[0][0], end: points[points.length - 1][0] });
      const done = act(
        'draw',
        {
          points: points.map(([t, p]) => [t, Math.max(0, Math.min(128, p))] as const),
          ...(now.ctrl ? { snap: 'key' } : {}),
        },
        { held: true, parts },
      );
      if (!done) return tag('nothing sung here to draw over');
      const ms = Math.round((points[points.length - 1][0] - points[0][0]) * 1000);
      return tag(now.shift ? `straight, ${ms} ms` : `${ms} ms`);
    },
    drop: () => drop(),
    cancel: giveUp,
  };
}

function eraseFrom(start: FieldPointer): Drag {
  return {
    move(now) {
      const span = { start: Math.min(start.time, now.time), end: Math.max(start.time, now.time) };
      const { edits } = editViewOf(useSession.getState());
      const parts = notesIn(span).filter(p => edits[p.key]?.drawn);
      const tag = (text: string) => ({ tag: { x: now.x + 16, y: now.y - 30, text } });
      if (!parts.length) {
        giveUp();
        return tag('nothing drawn here');
      }
      const target = { ...targetOf(useSession.getState(), parts), span };
      act('erase', {}, { held: true, target });
      return tag('erased');
    },
    drop: () => drop(),
    cancel: giveUp,
  };
}

/** While drawing, the field is paper. */
export const drawHandle = handle<true>({
  hit: p => (isDrawing() && p.area === 'field' ? true : null),
  cursor: () => 'crosshair',
  grab: start => (start.alt ? eraseFrom(start) : drawFrom(start)),
});
