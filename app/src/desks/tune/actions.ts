import type { Action } from '../../shell/commands';
import { act } from '../../open-song';
import { centreOnSpan, giveVibrato, takeVibrato } from './details';
import { addAlternative, nextAlternative } from '../../commands/alternatives';
import { setKeys } from '../../keyboard/keys';
import { noGuide, setGuiding, settleOnGuide, toggleGuideHeard, useGuiding } from './guide';
import { dismissChosen, stepHint, takeFirst } from './hints';
import { setSlack, useSlack } from './slack';
import { openWay } from './Way';
import { intoNotes, toggleWhole } from './whole-take';
import { setDrawing, useDrawing } from './drawing';
import { beginWith, firmerWhenShort, STARTS } from './starts';
import { asSungScope, settleScope, togglePin } from './edits';
import { copyScope, cutScope, pasteScope } from './pasting';

/** Actions of the Tune desk. */
export const TUNE_ACTIONS: Action[] = [
  ...STARTS.map((s): Action => ({
    id: `start-${s.id}`,
    name: `Start: ${s.name.toLowerCase()}, ${s.about}`,
    keys: [],
    group: 'Tune',
    run: () => beginWith(s),
  })),
  { id: 'short-firmer', name: 'Aim by length: short notes firmer', keys: [], group: 'Tune', run: firmerWhenShort },
  { id: 'settle', name: 'Settle on the nearest allowed pitch', keys: ['S'], group: 'Tune', run: settleScope },
  {
    id: 'settle-chord',
    name: 'Settle on the nearest tone of the chord',
    keys: ['Shift+S'],
    group: 'Tune',
    run: () => act('settle', { to: 'chord' }),
  },
  {
    id: 'settle-guide',
    name: 'Settle on the melody guide',
    keys: ['Shift+M'],
    group: 'Tune',
    run: settleOnGuide,
  },
  { id: 'next-hint', name: 'Next hint', keys: ['F'], group: 'Tune', run: () => stepHint(1) },
  { id: 'last-hint', name: 'Hint before', keys: ['Shift+F'], group: 'Tune', run: () => stepHint(-1) },
  { id: 'take-hint', name: 'Take the likeliest of the hints', keys: ['Shift+U'], group: 'Tune', run: takeFirst },
  {
    id: 'dismiss-hints',
    name: 'Dismiss the hints of these notes',
    keys: ['Shift+X'],
    group: 'Tune',
    run: dismissChosen,
  },
  {
    id: 'whole-take',
    name: 'Tune the whole take, or the chosen stretch; or no more',
    keys: ['Shift+T'],
    group: 'Tune',
    run: () => {
      openWay('whole');
      toggleWhole();
    },
  },
  { id: 'into-notes', name: 'Turn the whole take into notes', keys: [], group: 'Tune', run: intoNotes },
  {
    id: 'slack',
    name: 'Cut notes anew by slack',
    keys: [],
    group: 'Tune',
    run: () => setSlack('cents', useSlack.getState().cents, {}),
  },
  { id: 'way-notes', name: 'Open: notes', keys: [], group: 'Tune', run: () => openWay('notes') },
  { id: 'way-whole', name: 'Open: whole take', keys: [], group: 'Tune', run: () => openWay('whole') },
  { id: 'way-steps', name: 'Open: steps and melody guide', keys: [], group: 'Tune', run: () => openWay('steps') },
  {
    id: 'guide-draw',
    name: 'Draw the melody guide, or stop',
    keys: [],
    group: 'Tune',
    run: () => {
      openWay('steps');
      setGuiding(!useGuiding.getState().on);
    },
  },
  { id: 'keys', name: 'Play pitches on the keyboard', keys: ['Shift+B'], group: 'Tune', run: () => setKeys(true) },
  {
    id: 'guide-heard',
    name: 'Hear the melody guide as a piano, or not',
    keys: [],
    group: 'Tune',
    run: toggleGuideHeard,
  },
  { id: 'guide-none', name: 'Take the melody guide away', keys: [], group: 'Tune', run: noGuide },
  {
    id: 'tuning-next',
    name: 'Hear the next tuning of the phrase, or begin another',
    keys: ['Y'],
    group: 'Tune',
    run: nextAlternative,
  },
  { id: 'tuning-new', name: 'Another tuning of the phrase', keys: ['Shift+Y'], group: 'Tune', run: addAlternative },
  { id: 'as-sung', name: 'Back to as sung', keys: ['U'], group: 'Tune', run: asSungScope },
  { id: 'pin', name: 'Pin or unpin', keys: ['N'], group: 'Tune', run: togglePin },
  { id: 'copy-edits', name: 'Copy the edits of these notes', keys: ['Ctrl+C'], group: 'Tune', run: copyScope },
  { id: 'cut-edits', name: 'Cut the edits of these notes', keys: ['Ctrl+X'], group: 'Tune', run: cutScope },
  {
    id: 'paste-edits',
    name: 'Paste the copied edits on these notes: shown first, again or Enter takes them',
    keys: ['Ctrl+V'],
    group: 'Tune',
    run: pasteScope,
  },
  {
    id: 'draw',
    name: 'Draw the pitch, or stop drawing (hold D to draw for a moment)',
    keys: ['I'],
    group: 'Tune',
    run: () => setDrawing(!useDrawing.getState().on),
  },
  { id: 'erase', name: 'Erase what was drawn', keys: ['Shift+I'], group: 'Tune', run: () => act('erase') },
  {
    id: 'centre',
    name: 'The chosen stretch counts for the centre (none chosen: as heard)',
    keys: ['Shift+C'],
    group: 'Tune',
    run: centreOnSpan,
  },
  { id: 'take-vibrato', name: 'Take the vibrato of this note', keys: [], group: 'Tune', run: takeVibrato },
  {
    id: 'give-vibrato',
    name: 'Add the taken vibrato, or a usual one',
    keys: ['Shift+V'],
    group: 'Tune',
    run: giveVibrato,
  },
  {
    id: 'no-vibrato',
    name: 'Take the added vibrato off',
    keys: [],
    group: 'Tune',
    run: () => act('add-vibrato', { depthCents: 0 }),
  },
];
