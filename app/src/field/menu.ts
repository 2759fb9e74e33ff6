import { create } from 'zustand';
import { select } from '@essim/core';
import { choose, useSession } from '../open-song';
import type { FieldPointer } from './tool';

/** What can be done where the other button was pressed. The frame shows it; the field says where. */
export interface FieldMenu {
  x: number;
  y: number;
  /** Whether a note lies there. */
  onNote: boolean;
}
export const useMenu = create<{ open: FieldMenu | null }>(() => ({ open: null }));
export const closeMenu = (): void => useMenu.setState({ open: null });

/** Opens it; a note that was not chosen is. */
export function openMenu(p: FieldPointer, at: { x: number; y: number }): void {
  if (p.area !== 'field' && p.area !== 'ruler') return;
  const { selection, editTrackId } = useSession.getState();
  const chosen = selection.trackId === editTrackId && p.note && selection.notes.has(p.note.key);
  if (p.note && !chosen) choose(select(editTrackId, [p.note.key]));
  useMenu.setState({ open: { ...at, onNote: !!p.note } });
}
