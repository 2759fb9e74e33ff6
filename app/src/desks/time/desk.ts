import type { Desk } from '../desk';
import { TIME_ACTIONS } from './actions';
import { TimeDesk } from './TimeDesk';
import { TimePanel } from './TimePanel';

export const timeDesk: Desk = {
  Middle: TimeDesk,
  Panel: TimePanel,
  actions: () => TIME_ACTIONS,
  menu: [
    'earlier',
    'later',
    'longer',
    'shorter',
    'hold-beat',
    'bring',
    'as-sung',
    'stitch',
    'unstitch',
    'mute-notes',
    'delete-notes',
    'copy-sound',
    'cut-sound',
    'paste-sound',
  ],
  showsNotes: true,
};
