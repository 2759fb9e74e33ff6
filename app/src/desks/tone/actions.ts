import { act } from '../../open-song';
import { silencing } from '../../commands/silencing';
import type { Action } from '../../shell/commands';
import { byKey, nextNoise, setClean } from './edits';

/** Actions of the Tone desk. */
export const TONE_ACTIONS: Action[] = [
  { id: 'louder', name: 'Louder by 1 dB', keys: ['R'], group: 'Tone', run: () => byKey(1) },
  { id: 'softer', name: 'Softer by 1 dB', keys: ['E'], group: 'Tone', run: () => byKey(-1) },
  { id: 'louder-fine', name: 'Louder by a tenth of a dB', keys: ['Shift+R'], group: 'Tone', run: () => byKey(0.1) },
  { id: 'softer-fine', name: 'Softer by a tenth of a dB', keys: ['Shift+E'], group: 'Tone', run: () => byKey(-0.1) },
  {
    id: 'even-levels',
    name: 'Even levels: lift quiet 60 %, ease loud 60 %',
    keys: ['S'],
    group: 'Tone',
    run: () => act('even-levels', { lift: 60, ease: 60 }),
  },
  {
    id: 'even-colour',
    name: 'Even colour by 60 %',
    keys: ['Shift+S'],
    group: 'Tone',
    run: () => act('even-colour', { amount: 60 }),
  },
  { id: 'as-sung', name: 'Tone as sung', keys: ['U'], group: 'Tone', run: () => act('as-sung', { what: 'tone' }) },
  { id: 'next-noise', name: 'Next noise, the loudest first', keys: ['.'], group: 'Tone', run: nextNoise },
  ...silencing('Tone'),
  {
    id: 'clean-gaps',
    name: 'Clean the gaps between phrases by 20 dB',
    keys: [],
    group: 'Tone',
    run: () => setClean({ gapsDb: -20 }),
  },
  {
    id: 'fade-out',
    name: 'Fade the chosen notes out over 200 ms',
    keys: ['F'],
    group: 'Tone',
    run: () => act('fade', { outMs: 200 }),
  },
  {
    id: 'fade-in',
    name: 'Fade the chosen notes in over 100 ms',
    keys: ['Shift+F'],
    group: 'Tone',
    run: () => act('fade', { inMs: 100 }),
  },
];
