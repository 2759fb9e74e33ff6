import {
  parseKey,
  pitchClass,
  readKeyboardMap,
  readScala,
  scaleNamed,
  stepName,
  stepsOf,
  type Key,
  type NamedScale,
} from '../music';
import { setSong, StepRuleRecord, TuningRecord, type Song } from '../song';
import type { Cents } from '../units';
import { Refused, type Intent } from './intent';

/** Which steps there are, and which of them are sung. */

const TWELVE: readonly Cents[] = Array.from({ length: 12 }, (_, i) => i * 100);
const NEAREST_STEPS: Cents = 0.01;

const rule = (fields: Partial<StepRuleRecord>) => Object.assign(new StepRuleRecord(), fields);
const tuning = (fields: Partial<TuningRecord>) => Object.assign(new TuningRecord(), fields);

/** Every row off that is not sung. */
const offOutside = (rows: readonly Cents[], sung: readonly number[]): StepRuleRecord[] =>
  rows.flatMap((_, step) => (sung.includes(step) ? [] : [rule({ step, rule: 'off' })]));

/** Rows of a key in twelve semitones: 0 is the tonic. */
const sungIn = (key: Key): number[] => stepsOf(key).map(s => pitchClass(s - key.tonic));

/** The tuning in force as one that can be changed step by step. */
export function tuningInForce(song: Pick<Song, 'tuning'>, key: Key | null): TuningRecord {
  if (song.tuning) return song.tuning;
  return tuning({
    name: key?.mode ?? 'chromatic',
    steps: [...TWELVE],
    rules: key ? offOutside(TWELVE, sungIn(key)) : [],
  });
}

function keyNamed(tonic: string, mode: string): Key {
  try {
    return parseKey(`${tonic} ${mode}`);
  } catch {
    throw new Refused(`tonic "${tonic}" is not the name of a step, like D, F# or Bb`);
  }
}

/** Steps as they are typed or come from a file: rising from 0. @throws Refused naming the step that does not */
function checkedSteps(steps: readonly Cents[], period: Cents): Cents[] {
  const all = steps[0] === 0 ? [...steps] : [0, ...steps];
  // the octave is where the steps begin again, not one of them
  if (all.length > 1 && Math.abs(all[all.length - 1] - period) < NEAREST_STEPS) all.pop();
  for (let i = 1; i < all.length; i++)
    if (all[i] - all[i - 1] < NEAREST_STEPS)
      throw new Refused(`step ${i} (${all[i]} cents) is not above the one before`);
  if (all[all.length - 1] >= period) throw new Refused(`the last step must lie under ${period} cents`);
  return all;
}

/** Reads a file's text; what is wrong with it is told with the argument's name. */
function read<T>(argument: string, make: () => T): T {
  try {
    return make();
  } catch (error) {
    if (error instanceof Refused) throw error;
    throw new Refused(`${argument}: ${(error as Error).message}`);
  }
}

/** A scale by name: null for the key's own seven steps; of the twelve, or rows of its own. */
export function tuningNamed({ name, rows, sung, family }: NamedScale, key: Key): TuningRecord | null {
  if (name === 'major' || name === 'minor') return null;
  if (!rows) return tuning({ name, steps: [...TWELVE], rules: offOutside(TWELVE, sung!) });
  // a temperament bends the twelve steps; which are sung is the key's
  const twelve = family === 'temperament' && rows.length === 12;
  return tuning({ name, steps: [...rows], rules: twelve ? offOutside(rows, sungIn(key)) : [] });
}

function fromScala(scl: string, kbm: string | undefined): TuningRecord {
  const { name, steps, period } = read('scl', () => readScala(scl, null));
  const list = read('scl', () => checkedSteps(steps, period));
  const map = kbm === undefined ? null : read('kbm', () => readKeyboardMap(kbm, list, period));
  return tuning({
    name: name.slice(0, 100),
    steps: list,
    period,
    root: map?.root ?? null,
    rules: map ? offOutside(list, map.sung) : [],
  });
}

/** Steps in cents; where there are as many as before, what was said about each still holds. */
function fromSteps(steps: readonly Cents[], before: TuningRecord): TuningRecord {
  const list = checkedSteps(steps, before.period);
  const same = before.steps.length === list.length;
  return tuning({
    name: same ? before.name : 'own steps',
    steps: list,
    period: before.period,
    root: same ? before.root : null,
    rules: same ? before.rules : [],
  });
}

const scale: Intent = {
  name: 'scale',
  title: 'Scale',
  about: 'Sets the key and the steps of the song: a scale or temperament by name, steps in cents, or a Scala file.',
  on: 'song',
  args: [
    { name: 'tonic', about: 'its first step, like F# or Bb; absent: as it is', kind: 'text', most: 3 },
    { name: 'name', about: 'which scale, like dorian, blues, Werckmeister III or 19 equal', kind: 'text', most: 60 },
    { name: 'steps', about: 'cents above the tonic', kind: 'numbers', most: 1024, low: 0, high: 4800, unit: 'cents' },
    { name: 'scl', about: 'the text of a Scala tuning file', kind: 'text', most: 200000 },
    { name: 'kbm', about: 'the text of a Scala keyboard map', kind: 'text', most: 200000 },
  ],
  act({ score }, args) {
    const { tonic, name, steps, scl, kbm } = args as {
      tonic?: string;
      name?: string;
      steps?: readonly number[];
      scl?: string;
      kbm?: string;
    };
    if ([name, steps, scl].filter(v => v !== undefined).length > 1)
      throw new Refused('only one of name, steps and scl can be given');
    if (kbm !== undefined && scl === undefined) throw new Refused('a keyboard map needs its scl');
    if ([tonic, name, steps, scl].every(v => v === undefined)) throw new Refused('nothing was said about the scale');
    const found = name === undefined ? null : scaleNamed(name);
    if (name !== undefined && !found) throw new Refused(`there is no scale "${name}"`);
    const before = score.key.key;
    const mode = found?.mode ?? before?.mode ?? 'major';
    if (tonic === undefined && !before) throw new Refused('tonic is missing: this song has no key yet');
    const key = tonic === undefined ? { tonic: before!.tonic, mode } : keyNamed(tonic, mode);
    const made = found
      ? tuningNamed(found, key)
      : steps
        ? fromSteps(steps, tuningInForce(score.song, key))
        : scl !== undefined
          ? fromScala(scl, kbm)
          : score.song.tuning;
    const label = `Scale ${stepName(key.tonic, key)} ${made?.name ?? key.mode}`;
    return { label, song: setSong({ key, tuning: made })(score.song) };
  },
};

type Asked = 'allowed' | 'off' | 'left' | { to: number };

const stepRule: Intent = {
  name: 'step-rule',
  title: 'Rule of a step',
  about: 'Says what holds for a step of the tuning: allowed, off, left as sung, or that it goes to another.',
  on: 'song',
  args: [
    {
      name: 'step',
      about: 'which, 0 is the tonic',
      kind: 'number',
      low: 0,
      high: 1023,
      unit: '',
      whole: true,
      required: true,
    },
    {
      name: 'octave',
      about: 'in one octave alone, as notes are named; absent: every',
      kind: 'number',
      low: -2,
      high: 12,
      unit: '',
      whole: true,
    },
    { name: 'rule', about: 'what holds', kind: 'rule', of: ['allowed', 'off', 'left'], highest: 1023, required: true },
  ],
  act({ score }, args) {
    const { step, octave, rule: asked } = args as unknown as { step: number; octave?: number; rule: Asked };
    const now = tuningInForce(score.song, score.key.key);
    const to = typeof asked === 'object' ? asked.to : undefined;
    for (const s of [step, to ?? 0])
      if (s >= now.steps.length)
        throw new Refused(`there is no step ${s}: this tuning has ${now.steps.length}, from 0`);
    if (to === step) throw new Refused('a step cannot go to itself');
    const others = now.rules.filter(r => r.step !== step || (octave !== undefined && r.octave !== octave));
    const made = rule({
      step,
      ...(octave === undefined ? {} : { octave }),
      rule: typeof asked === 'object' ? 'to' : asked === 'left' ? 'left' : 'off',
      ...(to === undefined ? {} : { to }),
    });
    const rules = asked === 'allowed' ? others : [...others, made];
    const everywhere = (s: number) => rules.find(r => r.step === s && r.octave === undefined);
    if (now.steps.every((_, s) => everywhere(s))) throw new Refused('one step at least must be allowed');
    // what goes somewhere must find something there
    const lost = rules.find(r => r.rule === 'to' && everywhere(r.to!));
    if (lost) throw new Refused(`step ${lost.step} goes to step ${lost.to}, which is not allowed`);
    const said = typeof asked === 'object' ? `goes to step ${to}` : asked === 'left' ? 'left as sung' : asked;
    return {
      label: `Step ${step} ${said}${octave === undefined ? '' : `, octave ${octave}`}`,
      song: setSong({ key: score.key.key, tuning: tuning({ ...now, rules }) })(score.song),
    };
  },
};

export const TUNING_INTENTS: readonly Intent[] = [scale, stepRule];
