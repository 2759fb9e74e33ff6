import type { Desk } from '../desk';
import { GATHER_ACTIONS } from './actions';
import { GatherDesk } from './GatherDesk';
import { GatherPanel } from './GatherPanel';

export const gatherDesk: Desk = {
  Middle: GatherDesk,
  Panel: GatherPanel,
  actions: () => GATHER_ACTIONS,
  showsNotes: false,
};
