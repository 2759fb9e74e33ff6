import { useRef, type CSSProperties, type ReactNode } from 'react';
import { drop, giveUp } from '../../../open-song';

/** Moved so far by an arrow key, s. */
const NUDGE = 0.01;

interface GripProps<T> {
  label: string;
  /** Where it is, song seconds. */
  at: number;
  testId: string;
  title: string;
  className: string;
  style?: CSSProperties;
  children?: ReactNode;
  /** What is moved, as it was when the grip was taken. */
  taken(): T;
  /** Moves it there. @param x of the pointer on the page, px @param from of the pointer when it was taken */
  move(taken: T, x: number, from: number): void;
  /** Moves it by key, s. */
  nudge(by: number): void;
}

/** A border in time that is dragged, or moved by arrow keys once it has the focus; Esc gives a drag up. */
export function Grip<T>({ label, at, testId, title, className, style, children, taken, move, nudge }: GripProps<T>) {
  const held = useRef<{ from: number; of: T } | null>(null);
  const end = (how: () => void) => {
    if (held.current) how();
    held.current = null;
  };
  return (
    <span
      role="slider"
      tabIndex={0}
      aria-label={label}
      aria-valuenow={Math.round(at * 1000) / 1000}
      aria-valuetext={`${at.toFixed(2)} s`}
      data-testid={testId}
      title={title}
      className={className}
      style={style}
      onPointerDown={e => {
        e.currentTarget.setPointerCapture(e.pointerId);
        e.stopPropagation();
        held.current = { from: e.clientX, of: taken() };
      }}
      onPointerMove={e => {
        if (held.current) move(held.current.of, e.clientX, held.current.from);
      }}
      onPointerUp={() => end(drop)}
      onPointerCancel={() => end(giveUp)}
      onKeyDown={e => {
        if (e.key === 'Escape' && held.current) {
          e.stopPropagation();
          return end(giveUp);
        }
        if (e.key !== 'ArrowLeft' && e.key !== 'ArrowRight') return;
        e.stopPropagation();
        e.preventDefault();
        nudge(e.key === 'ArrowLeft' ? -NUDGE : NUDGE);
      }}
    >
      {children}
    </span>
  );
}
