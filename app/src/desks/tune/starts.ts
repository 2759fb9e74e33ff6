import { act } from '../../open-song';

/** Starting points: how much is corrected at once, to go on from by ear. From barely there to fully straight. */
export interface Start {
  id: string;
  name: string;
  about: string;
  with: Readonly<Record<string, number>>;
}

export const STARTS: readonly Start[] = [
  {
    id: 'barely',
    name: 'Barely there',
    about: 'a third of the way, everything else as sung',
    with: { aim: 35, wander: 100, vibrato: 100, scoop: 100, fall: 100 },
  },
  {
    id: 'gentle',
    name: 'Gentle',
    about: 'most of the way, a little steadier',
    with: { aim: 70, wander: 85, vibrato: 100, scoop: 100, fall: 100 },
  },
  {
    id: 'settled',
    name: 'Settled',
    about: 'on the step, alive',
    with: { aim: 100, wander: 70, vibrato: 100, scoop: 85, fall: 90 },
  },
  {
    id: 'firm',
    name: 'Firm',
    about: 'on the step and steady, ways in and out shorter',
    with: { aim: 100, wander: 35, vibrato: 90, scoop: 55, fall: 60 },
  },
  {
    id: 'straight',
    name: 'Fully straight',
    about: 'nothing moves; to hear which notes were meant',
    with: { aim: 100, wander: 0, vibrato: 0, scoop: 0, fall: 0 },
  },
];

export const beginWith = (start: Start): boolean => act('shape', start.with, { label: `Start: ${start.name}` });

/** Short notes go all the way, long ones keep some of their own. */
export const firmerWhenShort = (): boolean =>
  act('aim-by-length', { shortMs: 150, short: 100, longMs: 600, long: 70 }, { label: 'Short notes firmer' });
