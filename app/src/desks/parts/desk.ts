import type { Desk } from '../desk';
import { PARTS_ACTIONS } from './actions';
import { PartsDesk } from './PartsDesk';
import { PartsPanel } from './PartsPanel';

export const partsDesk: Desk = {
  Middle: PartsDesk,
  Panel: PartsPanel,
  actions: () => PARTS_ACTIONS,
  showsNotes: true,
};
