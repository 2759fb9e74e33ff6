import type { Cents } from '../units';
import { pitchClass, stepsOf, type Key } from './pitch';

/** The steps a voice may be put on: cents above the tonic within one period, which is an octave as a rule. */
export interface Scale {
  name: string;
  /** Ascending, 0 first, all below the period. */
  steps: Cents[];
  period: Cents;
  /** Cents of step 0 in some octave, counted from MIDI 0. */
  root: Cents;
}

/** Every semitone. */
export const semitones = (tuningCents: Cents = 0): Scale => ({
  name: 'semitones',
  steps: Array.from({ length: 12 }, (_, i) => i * 100),
  period: 1200,
  root: tuningCents,
});

/** The seven steps of a key. */
export function scaleOfKey(key: Key, tuningCents: Cents = 0): Scale {
  const steps = stepsOf(key)
    .map(s => pitchClass(s - key.tonic) * 100)
    .sort((a, b) => a - b);
  return { name: 'key', steps, period: 1200, root: key.tonic * 100 + tuningCents };
}

/** The step nearest to a pitch. @returns cents from MIDI 0 */
export function nearestStep(scale: Scale, cents: Cents): Cents {
  const { steps, period, root } = scale;
  const base = Math.floor((cents - root) / period) * period + root;
  let best = base;
  for (const octave of [-period, 0, period])
    for (const s of steps) {
      const at = base + octave + s;
      if (Math.abs(cents - at) < Math.abs(cents - best)) best = at;
    }
  return best;
}

/** The step a number of steps above (or below) the one nearest to a pitch. */
export function stepFrom(scale: Scale, cents: Cents, by: number): Cents {
  const here = nearestStep(scale, cents);
  const { steps, period, root } = scale;
  const octave = Math.floor((here - root + 1e-6) / period);
  const index = steps.findIndex(s => Math.abs(root + octave * period + s - here) < 1e-6) + octave * steps.length + by;
  const turn = Math.floor(index / steps.length);
  return root + turn * period + steps[index - turn * steps.length];
}

/**
 * Reads a Scala tuning file (.scl): description, count, then one ratio or cents value a line; the last is the period.
 * A scale of twelve steps is thinned to a key's degrees when a key is given.
 * @throws Error saying which line is wrong
 */
export function readScala(text: string, key: Key | null): Scale {
  const lines = text.split(/\r?\n/).filter(l => !l.startsWith('!'));
  if (lines.length < 2) throw new Error('it is not a Scala tuning file');
  const stated = /^\s*(\d+)\s*(\s.*)?$/.exec(lines[1]);
  // without a count every line that follows the description is a step
  const first = stated ? 2 : 1;
  const rest = lines.slice(first).filter(l => l.trim());
  const count = stated ? Number(stated[1]) : rest.length;
  if (!(count >= 1 && count <= 1000)) throw new Error('the count of its steps is missing');
  const values = rest.slice(0, count).map((line, i) => scalaValue(line, i + 1));
  if (values.length < count) throw new Error(`it names ${count} steps but holds ${values.length}`);
  const period = values[values.length - 1];
  if (!(period > 0)) throw new Error('its last step is not above the first');
  let steps = [0, ...values.slice(0, -1)].sort((a, b) => a - b);
  if (key && steps.length === 12)
    steps = stepsOf(key)
      .map(s => steps[pitchClass(s - key.tonic)])
      .sort((a, b) => a - b);
  return { name: lines[0].trim() || 'Scala', steps, period, root: (key?.tonic ?? 0) * 100 };
}

function scalaValue(line: string, number: number): Cents {
  const word = line.trim().split(/\s+/)[0] ?? '';
  const ratio = /^(\d+)(?:\/(\d+))?$/.exec(word);
  const cents = word.includes('.')
    ? Number(word)
    : ratio
      ? 1200 * Math.log2(Number(ratio[1]) / Number(ratio[2] ?? 1))
      : NaN;
  if (!Number.isFinite(cents)) throw new Error(`step ${number} ("${line.trim()}") is neither cents nor a ratio`);
  return cents;
}
