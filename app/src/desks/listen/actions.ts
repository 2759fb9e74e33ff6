import { select } from '@essim/core';
import { doubtsIn, lookAt, type ListedDoubt } from '../../commands/corrections';
import type { Action } from '../../shell/commands';
import { choose, editViewOf, fitPitch, look, seek, useSession } from '../../open-song';
import { useListen } from './state';

const state = useSession.getState;

/** Puts a doubtful spot into view and chooses its note. */
export function goToDoubt(d: ListedDoubt): void {
  const s = state();
  const middle = (d.start + d.end) / 2;
  const note = editViewOf(s).notes.find(n => middle >= n.start && middle < n.end);
  choose(select(s.editTrackId, note ? [note.key] : []));
  seek(Math.max(0, d.start - 0.2));
  useListen.setState({ doubt: d.id });
  if (d.start < s.view.from + 0.2 || d.end > s.view.to - 0.2)
    look({ ...fitPitch(s, d.start - 1.5, d.end + 2), from: Math.max(0, d.start - 1.5), to: d.end + 2.5 }, true);
}

/** The next or last open doubt, from the one gone to last. */
function stepDoubt(by: 1 | -1): void {
  const open = doubtsIn(state()).filter(d => !d.looked);
  if (!open.length) return;
  const { doubt } = useListen.getState();
  const at = open.findIndex(d => d.id === doubt);
  goToDoubt(open[at < 0 ? (by > 0 ? 0 : open.length - 1) : (at + by + open.length) % open.length]);
}

function tickDoubt(): void {
  const d = doubtsIn(state()).find(q => q.id === useListen.getState().doubt);
  if (!d) return;
  stepDoubt(1);
  lookAt(d, !d.looked);
}

/** Actions of the Listen desk. */
export const LISTEN_ACTIONS: Action[] = [
  { id: 'next-doubt', name: 'Next doubtful spot', keys: ['.'], group: 'Listen', run: () => stepDoubt(1) },
  { id: 'last-doubt', name: 'Doubtful spot before', keys: [','], group: 'Listen', run: () => stepDoubt(-1) },
  { id: 'tick-doubt', name: 'Doubt ticked off', keys: ['D'], group: 'Listen', run: tickDoubt },
];
