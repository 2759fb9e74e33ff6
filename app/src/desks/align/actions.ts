import type { Action } from '../../shell/commands';
import { editTrackOf, useSession } from '../../open-song';
import { leadStack } from '../../commands/tracks';
import {
  alignAll,
  alignShown,
  cancelTie,
  finishTie,
  freeChosen,
  keepAsSung,
  pullChosen,
  stepTie,
  tieChosen,
} from './tying';
import { toggleFan } from './fan';
import { useAlign } from './state';

const TYING: Action[] = [
  {
    id: 'tie-next',
    name: 'Tie to the lead’s next word',
    keys: ['ArrowRight'],
    group: 'Align',
    run: () => void stepTie(1),
  },
  {
    id: 'tie-last',
    name: 'Tie to the lead’s word before',
    keys: ['ArrowLeft'],
    group: 'Align',
    run: () => void stepTie(-1),
  },
  { id: 'tie-done', name: 'Tie them', keys: ['Enter'], group: 'Align', run: () => finishTie() },
  { id: 'tie-cancel', name: 'Do not tie', keys: ['Escape'], group: 'Align', run: cancelTie },
];

/** Actions of the Align desk; while a word is being tied the arrows choose the lead's word. */
export const alignActions = (): Action[] => [...(useAlign.getState().tying ? TYING : []), ...ALIGN_ACTIONS];

export const ALIGN_ACTIONS: Action[] = [
  { id: 'align', name: 'Align this follower', keys: ['S'], group: 'Align', run: alignShown },
  { id: 'align-all', name: 'Align every follower of the stack', keys: ['Shift+S'], group: 'Align', run: alignAll },
  { id: 'tie', name: 'Tie the chosen word to a word of the lead', keys: ['T'], group: 'Align', run: tieChosen },
  { id: 'as-sung-span', name: 'Leave as sung, or follow again', keys: ['U'], group: 'Align', run: keepAsSung },
  {
    id: 'pull-borders',
    name: 'Borders of these syllables to the lead’s',
    keys: ['E'],
    group: 'Align',
    run: () => pullChosen('borders'),
  },
  {
    id: 'pull-pitch',
    name: 'Pitch of these syllables to the lead’s',
    keys: ['R'],
    group: 'Align',
    run: () => pullChosen('pitch'),
  },
  { id: 'fan', name: 'Spread coinciding notes apart', keys: ['Shift+F'], group: 'Align', run: toggleFan },
  {
    id: 'lead-stack',
    name: 'This track leads its stack',
    keys: ['Alt+L'],
    group: 'Align',
    run: () => {
      const track = editTrackOf(useSession.getState());
      if (track) leadStack(track);
    },
  },
  { id: 'free', name: 'Forget what was said by hand', keys: ['Delete'], group: 'Align', run: freeChosen },
];
