import type { Desk } from '../desk';
import { LISTEN_ACTIONS } from './actions';
import { ListenDesk } from './ListenDesk';
import { ListenPanel } from './ListenPanel';

export const listenDesk: Desk = {
  Middle: ListenDesk,
  Panel: ListenPanel,
  actions: () => LISTEN_ACTIONS,
  showsNotes: true,
};
