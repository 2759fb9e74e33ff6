import type { Action } from '../../shell/commands';
import { saveBundle } from '../../exchange/bundles';
import { deliver, writeDown } from '../../exchange/delivering';
import { useDeliver } from './state';

const now = () => {
  const { format, asMixed } = useDeliver.getState();
  return { format, asMixed };
};

/** Actions of the Deliver desk. */
export const DELIVER_ACTIONS: Action[] = [
  {
    id: 'stems',
    name: 'Export all stems as a zip',
    keys: ['S'],
    group: 'Deliver',
    run: () => void deliver({ kind: 'stems', ...now() }),
  },
  {
    id: 'mix',
    name: 'Export the mix',
    keys: ['M'],
    group: 'Deliver',
    run: () => void deliver({ kind: 'mix', ...now() }),
  },
  {
    id: 'track',
    name: 'Export the edited track',
    keys: ['E'],
    group: 'Deliver',
    run: () => void deliver({ kind: 'track', ...now() }),
  },
  {
    id: 'practice',
    name: 'Export practice mixes, each voice in front',
    keys: ['Shift+P'],
    group: 'Deliver',
    run: () => void deliver({ kind: 'practice', ...now() }),
  },
  {
    id: 'musicxml',
    name: 'Write the voices down as MusicXML',
    keys: [],
    group: 'Deliver',
    run: () => writeDown('musicxml'),
  },
  { id: 'midi', name: 'Write the voices down as MIDI', keys: [], group: 'Deliver', run: () => writeDown('midi') },
  { id: 'bundle', name: 'Save the song as a bundle', keys: ['Ctrl+S'], group: 'Song', run: () => void saveBundle() },
];
