import { counted } from '@essim/core';
import { toast } from 'sonner';
import { create } from 'zustand';
import { act, drop, editTrackOf, giveUp, useSession } from '../../open-song';
import { asSungScope, inScope, type Target } from './edits';

/** What was decided about some notes, put on others: shown first, then taken. */

/** Whose edits were copied, and from where to where. */
let copied: { trackId: string; from: number; to: number } | null = null;

/** Remembers what was decided about the notes in scope, to be put on others. */
export function copyScope(): boolean {
  const mine = inScope().filter(t => t.trackId === useSession.getState().editTrackId);
  const edited = mine.filter(t => t.edit).length;
  if (!edited) {
    toast('Copy edits: nothing was edited here.', { id: 'refused' });
    return false;
  }
  const middle = ({ note }: Target) => (note.start + note.end) / 2;
  copied = {
    trackId: mine[0].trackId,
    from: Math.max(0, Math.min(...mine.map(middle)) - 0.001),
    to: Math.max(...mine.map(middle)) + 0.001,
  };
  toast(`Edits of ${counted(edited, 'note')} copied: choose the notes they are meant for, and paste them.`, {
    id: 'copied',
  });
  return true;
}

/** Whether what pasting would do is shown, and waits to be taken. */
export const usePasting = create<{ shown: boolean }>(() => ({ shown: false }));

/** Shows what the notes in scope would be with the edits that were copied; a second time takes it. */
export function pasteScope(): void {
  if (usePasting.getState().shown) return takePaste();
  const { history } = useSession.getState();
  const of = history?.song.tracks.find(t => t.id === copied?.trackId);
  if (!copied || !of || !editTrackOf(useSession.getState()))
    return void toast('Paste edits: no edits were copied yet.', { id: 'refused' });
  usePasting.setState({ shown: act('copy-edits', { of: of.id, from: copied.from, to: copied.to }, { held: true }) });
}

export function takePaste(): void {
  usePasting.setState({ shown: false });
  drop();
}

export function giveUpPaste(): void {
  if (!usePasting.getState().shown) return;
  usePasting.setState({ shown: false });
  giveUp();
}

/** While it is shown Enter takes it and Esc gives it up; any other change gives it up too. @returns what ends it */
export function watchPasting(): () => void {
  const key = (e: KeyboardEvent) => {
    if (!usePasting.getState().shown || (e.key !== 'Enter' && e.key !== 'Escape')) return;
    if (e.key === 'Enter') takePaste();
    else giveUpPaste();
    e.preventDefault();
    e.stopPropagation();
  };
  window.addEventListener('keydown', key, true);
  const end = useSession.subscribe(s => {
    if (!s.draft && usePasting.getState().shown) usePasting.setState({ shown: false });
  });
  return () => {
    giveUpPaste();
    end();
    window.removeEventListener('keydown', key, true);
  };
}

/** Copies what was decided about the notes in scope, and takes it off them. */
export function cutScope(): void {
  if (copyScope()) asSungScope();
}
