import type { Desk } from '../desk';
import { alignActions } from './actions';
import { AlignDesk } from './AlignDesk';
import { AlignPanel } from './AlignPanel';

export const alignDesk: Desk = {
  Middle: AlignDesk,
  Panel: AlignPanel,
  actions: alignActions,
  showsNotes: true,
};
