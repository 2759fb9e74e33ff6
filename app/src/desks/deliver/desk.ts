import type { Desk } from '../desk';
import { DELIVER_ACTIONS } from './actions';
import { DeliverDesk } from './DeliverDesk';
import { DeliverPanel } from './DeliverPanel';

export const deliverDesk: Desk = {
  Middle: DeliverDesk,
  Panel: DeliverPanel,
  actions: () => DELIVER_ACTIONS,
  showsNotes: false,
};
