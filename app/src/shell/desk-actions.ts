import type { Desk } from '../desks/desk';
import { FRAME_ACTIONS, type Action } from './commands';
import { CHOOSING_ACTIONS, MOVING_ACTIONS, READING_ACTIONS } from './reading-actions';
import { TRACK_ACTIONS } from './track-actions';

/** What can be done at a desk now; its own meaning of a command or key goes before everybody's. Each has an id of its own. */
export function deskActions(desk: Pick<Desk, 'actions' | 'showsNotes'>): Action[] {
  const own = desk.actions();
  return [
    ...own,
    // where no notes are seen, none are corrected by key
    ...(desk.showsNotes ? [...READING_ACTIONS, ...MOVING_ACTIONS] : []).filter(a => !own.some(o => o.id === a.id)),
    ...CHOOSING_ACTIONS,
    ...FRAME_ACTIONS,
    ...TRACK_ACTIONS,
  ];
}
