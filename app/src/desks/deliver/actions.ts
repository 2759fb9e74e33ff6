import type { Action } from '../../shell/commands';
import { saveBundle } from '../../exchange/bundles';
import { bounceTrack } from '../../exchange/bouncing';
import { deliver } from '../../exchange/delivering';
import { writeDown, writeLines, writeReport } from '../../exchange/writing';
import { hearNextVersion, keepVersion, nextVersionName } from '../../commands/versions';
import { editTrackOf, useSession } from '../../open-song';
import { measureNow } from './Measured';
import { chosenDelivery, useDeliver } from './state';

/** Actions of the Deliver desk. */
export const DELIVER_ACTIONS: Action[] = [
  {
    id: 'stems',
    name: 'Export all stems as a zip',
    keys: ['S'],
    group: 'Deliver',
    run: () => void deliver({ kind: 'stems', ...chosenDelivery() }),
  },
  {
    id: 'mix',
    name: 'Export the mix',
    keys: ['M'],
    group: 'Deliver',
    run: () => void deliver({ kind: 'mix', ...chosenDelivery() }),
  },
  {
    id: 'track',
    name: 'Export the edited track',
    keys: ['E'],
    group: 'Deliver',
    run: () => void deliver({ kind: 'track', ...chosenDelivery() }),
  },
  {
    id: 'practice',
    name: 'Export practice mixes, each voice in front',
    keys: ['Shift+P'],
    group: 'Deliver',
    run: () => void deliver({ kind: 'practice', ...chosenDelivery() }),
  },
  {
    id: 'musicxml',
    name: 'Write the voices down as MusicXML',
    keys: [],
    group: 'Deliver',
    run: () => writeDown('musicxml', useDeliver.getState()),
  },
  {
    id: 'midi',
    name: 'Write the voices down as MIDI',
    keys: [],
    group: 'Deliver',
    run: () => writeDown('midi', useDeliver.getState()),
  },
  {
    id: 'lines',
    name: 'Write the pitch lines down as tables (CSV)',
    keys: [],
    group: 'Deliver',
    run: () => void writeLines(),
  },
  {
    id: 'measure',
    name: 'Measure loudness and true peak of the mix and the stems',
    keys: ['Y'],
    group: 'Deliver',
    run: () => void measureNow(),
  },
  {
    id: 'report',
    name: 'Write the edit report for the client',
    keys: ['R'],
    group: 'Deliver',
    run: () => void writeReport(chosenDelivery()),
  },
  {
    id: 'bounce',
    name: 'Bounce the edited track to a new one',
    keys: ['B'],
    group: 'Deliver',
    run: () => {
      const track = editTrackOf(useSession.getState());
      if (track) bounceTrack(track);
    },
  },
  {
    id: 'keep-version',
    name: 'Keep the song as it is as a version',
    keys: ['V'],
    group: 'Deliver',
    run: () => void keepVersion(nextVersionName()),
  },
  {
    id: 'hear-version',
    name: 'Hear the next version, or the song as it is now',
    keys: ['Shift+V'],
    group: 'Deliver',
    run: hearNextVersion,
  },
  { id: 'bundle', name: 'Save the song as a bundle', keys: ['Ctrl+S'], group: 'Song', run: () => void saveBundle() },
];
