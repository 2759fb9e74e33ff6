import type { Snap } from '@essim/core';
import { create } from 'zustand';

/** How notes are dragged: what they snap to, and what is heard meanwhile. */
export interface Dragging {
  snap: Snap;
  /** The note alone, or its place in the song with what Hear says. */
  sound: 'note' | 'song';
}
export const useDragging = create<Dragging>(() => ({ snap: 'key', sound: 'note' }));
