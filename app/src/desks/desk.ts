import type { ComponentType } from 'react';
import type { Action } from '../shell/commands';

/** What a desk is made of. The frame, the field and the other desks know nothing else of it. */
export interface Desk {
  /** What stands in the middle. */
  Middle: ComponentType;
  /** What stands at the right. */
  Panel: ComponentType;
  /** What keys and the command list do here besides what they do everywhere; asked anew at each press. */
  actions: () => Action[];
  /** What can be done to a note here, by ids of actions, for the menu of the other button. */
  menu?: readonly string[];
  /** Whether notes are seen here: readings are then corrected by key, and shown while they are made. */
  showsNotes: boolean;
}
