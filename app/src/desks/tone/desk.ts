import type { Desk } from '../desk';
import { TONE_ACTIONS } from './actions';
import { ToneDesk } from './ToneDesk';
import { TonePanel } from './TonePanel';

export const toneDesk: Desk = {
  Middle: ToneDesk,
  Panel: TonePanel,
  actions: () => TONE_ACTIONS,
  menu: ['louder', 'softer', 'even-levels', 'even-colour', 'fade-in', 'fade-out', 'mute-notes', 'as-sung'],
  showsNotes: true,
};
