import { ALTERNATIVE_INTENTS } from './alternatives';
import type { Argument } from './arguments';
import { asSung } from './as-sung';
import { copyEdits } from './copied';
import { GUIDE_INTENTS } from './guide';
import { HINT_INTENTS } from './hints';
import { slack } from './slack';
import { WHOLE_TAKE_INTENTS } from './whole-take';
import { DELIVER_INTENTS } from './deliver';
import { DETAIL_INTENTS } from './detail';
import { PART_INTENTS } from './parts';
import { PASTE_INTENTS } from './paste';
import { SONG_INTENTS } from './song';
import { STACK_INTENTS } from './stack';
import { TIME_INTENTS } from './time';
import { TONE_INTENTS } from './tone';
import { TUNE_INTENTS } from './tune';
import { TUNING_INTENTS } from './tuning';
import type { Intent } from './intent';

/** Every command there is, in the order of the work. */
export const INTENTS: readonly Intent[] = [
  ...SONG_INTENTS,
  ...TUNING_INTENTS,
  ...TUNE_INTENTS,
  ...DETAIL_INTENTS,
  slack,
  ...WHOLE_TAKE_INTENTS,
  ...GUIDE_INTENTS,
  ...HINT_INTENTS,
  asSung,
  ...TIME_INTENTS,
  ...TONE_INTENTS,
  ...PASTE_INTENTS,
  copyEdits,
  ...ALTERNATIVE_INTENTS,
  ...STACK_INTENTS,
  ...PART_INTENTS,
  ...DELIVER_INTENTS,
];

const byName = new Map(INTENTS.map(i => [i.name, i]));
export const intentNamed = (name: string): Intent | undefined => byName.get(name);

/** A command in words and numbers, for lists and help. */
export interface IntentDescription {
  name: string;
  title: string;
  about: string;
  on: Intent['on'];
  args: readonly Argument[];
}
export const describedIntents = (): IntentDescription[] =>
  INTENTS.map(({ name, title, about, on, args }) => ({ name, title, about, on, args }));

/** An argument's bounds in a few words. @example '0 to 100 %' */
export function boundsOf(arg: Argument): string {
  switch (arg.kind) {
    case 'number':
      return `${arg.low} to ${arg.high}${arg.unit ? ` ${arg.unit}` : ''}${arg.nullable ? ', or null' : ''}`;
    case 'choice':
      return arg.of.join(' | ');
    case 'text':
      return `a text of at most ${arg.most} characters`;
    case 'file':
      return arg.what;
    case 'file-or-name':
      return `${arg.what}, or the name of a track`;
    case 'voices':
      return `[{"name", "low", "high"}, ...], at most ${arg.most}, MIDI`;
    case 'which':
      return 'a name, or a number from 1';
    case 'notes':
      return '[[start s, end s, MIDI], ...]';
    case 'flag':
      return 'true | false';
    case 'pairs':
      return `[[${arg.first.unit}, text], ...]`;
    case 'numbers':
      return `[${arg.unit}, ...], each ${arg.low} to ${arg.high}`;
    case 'rule':
      return `${arg.of.join(' | ')} | {"to": step}`;
    case 'points':
      return `[[${arg.first.unit}, ${arg.second.unit}], ...]`;
  }
}
