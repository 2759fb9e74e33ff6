import { partName, type PartLine } from '@essim/core';
import { addPart } from '../../commands/parts';
import type { Action } from '../../shell/commands';

/** Parts made with one press, nearest first. */
export const QUICK: { line: PartLine; key: string }[] = [
  { line: { by: 'steps', amount: 2 }, key: 'Alt+3' },
  { line: { by: 'steps', amount: -2 }, key: 'Alt+Shift+3' },
  { line: { by: 'steps', amount: 3 }, key: 'Alt+4' },
  { line: { by: 'steps', amount: -3 }, key: 'Alt+Shift+4' },
  { line: { by: 'steps', amount: 5 }, key: 'Alt+6' },
  { line: { by: 'steps', amount: -5 }, key: 'Alt+Shift+6' },
  { line: { by: 'semitones', amount: 12 }, key: 'Alt+8' },
  { line: { by: 'semitones', amount: -12 }, key: 'Alt+Shift+8' },
];

/** Actions of the Parts desk. */
export const PARTS_ACTIONS: Action[] = QUICK.map(({ line, key }) => ({
  id: `part-${line.by}-${line.amount}`,
  name: `Make a part: ${partName(line).toLowerCase()}`,
  keys: [key],
  group: 'Parts',
  run: () => addPart(line),
}));
