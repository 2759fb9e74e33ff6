import type { Desk } from '../desk';
import { TUNE_ACTIONS } from './actions';
import { TuneDesk } from './TuneDesk';
import { TunePanel } from './TunePanel';

export const tuneDesk: Desk = {
  Middle: TuneDesk,
  Panel: TunePanel,
  actions: () => TUNE_ACTIONS,
  menu: [
    'settle',
    'settle-chord',
    'settle-guide',
    'up',
    'down',
    'pin',
    'as-sung',
    'take-hint',
    'dismiss-hints',
    'copy-edits',
    'paste-edits',
    'give-vibrato',
    'erase',
  ],
  showsNotes: true,
};
