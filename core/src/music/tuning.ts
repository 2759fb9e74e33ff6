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
  /** Every step of the tuning, sung or not, where they are others than the semitones. */
  rows?: readonly Cents[];
  /** What holds for them, where that is more than which are allowed everywhere. */
  rules?: readonly StepRule[];
}

/** What holds for one step of a tuning. Nothing said: it is allowed. */
export interface StepRule {
  /** Which step, 0 is the tonic. */
  step: number;
  /** In one octave alone, that of its tonic, as notes are named; absent: in every octave. */
  octave?: number;
  /** Not sung; left as it was sung; or it goes to another. */
  rule: 'off' | 'left' | 'to';
  to?: number;
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

/** A tuning's steps with their rules, from a tonic. @param rows cents above it, ascending, 0 first */
export function ruledScale(
  name: string,
  rows: readonly Cents[],
  period: Cents,
  root: Cents,
  rules: readonly StepRule[],
): Scale {
  const everywhere = new Map(rules.filter(r => r.octave === undefined).map(r => [r.step, r.rule]));
  const steps = rows.filter((_, i) => (everywhere.get(i) ?? 'allowed') === 'allowed');
  const plain = rules.every(r => r.octave === undefined && r.rule === 'off');
  return {
    name,
    steps: steps.length ? steps : [...rows],
    period,
    root,
    rows,
    ...(plain || !steps.length ? {} : { rules }),
  };
}

/** Cents of the step of a list that is nearest to a pitch, which it is, and in which period. */
function nearestOf(
  steps: readonly Cents[],
  { period, root }: Scale,
  cents: Cents,
): { at: Cents; step: number; turn: number } {
  const base = Math.floor((cents - root) / period);
  let best = { at: Infinity, step: 0, turn: base };
  for (const turn of [base - 1, base, base + 1])
    steps.forEach((s, step) => {
      const at = root + turn * period + s;
      if (Math.abs(cents - at) < Math.abs(cents - best.at)) best = { at, step, turn };
    });
  return best;
}

/** The octave a step is in as notes are named: that of the tonic under it. */
const octaveOf = ({ root, period }: Scale, turn: number): number =>
  Math.floor((root + turn * period + 1e-6) / 1200) - 1;

function ruleOf(scale: Scale, step: number, turn: number): StepRule | undefined {
  const octave = octaveOf(scale, turn);
  const here = scale.rules!.filter(r => r.step === step);
  return here.find(r => r.octave === octave) ?? here.find(r => r.octave === undefined);
}

/** Steps allowed about a pitch, by their cents. */
function allowedAbout(scale: Scale, cents: Cents): Cents[] {
  const { root, period } = scale;
  const base = Math.floor((cents - root) / period);
  const out: Cents[] = [];
  for (let turn = base - 2; turn <= base + 2; turn++)
    scale.rows!.forEach((s, i) => {
      if (!ruleOf(scale, i, turn)) out.push(root + turn * period + s);
    });
  return out;
}

/**
 * The step a pitch is put on: the nearest allowed one, or where the nearest of all is said to go; a pitch on a step that is left as sung
 * stays. @returns cents from MIDI 0
 */
export function nearestStep(scale: Scale, cents: Cents): Cents {
  if (!scale.rules) return nearestOf(scale.steps, scale, cents).at;
  const { at, step, turn } = nearestOf(scale.rows!, scale, cents);
  const rule = ruleOf(scale, step, turn);
  if (!rule) return at;
  if (rule.rule === 'left') return cents;
  if (rule.rule === 'to') return nearestOf([scale.rows![rule.to!]], scale, at).at;
  const near = allowedAbout(scale, cents);
  return near.length ? near.reduce((a, b) => (Math.abs(b - cents) < Math.abs(a - cents) ? b : a)) : at;
}

/** Whether the step nearest to a pitch is left as it was sung. */
export function leftAsSung(scale: Scale, cents: Cents): boolean {
  if (!scale.rules) return false;
  const { step, turn } = nearestOf(scale.rows!, scale, cents);
  return ruleOf(scale, step, turn)?.rule === 'left';
}

/** The step a pitch belongs to as it is sung: the nearest that is not off, before what is said about it holds. */
export function stepSung(scale: Scale, cents: Cents): Cents {
  if (!scale.rules) return nearestOf(scale.steps, scale, cents).at;
  const { root, period, rows } = scale;
  const base = Math.floor((cents - root) / period);
  let best = NaN;
  for (let turn = base - 1; turn <= base + 1; turn++)
    rows!.forEach((s, i) => {
      const at = root + turn * period + s;
      if (Math.abs(at - cents) >= Math.abs(best - cents)) return;
      if (ruleOf(scale, i, turn)?.rule !== 'off') best = at;
    });
  return Number.isNaN(best) ? nearestOf(rows!, scale, cents).at : best;
}

/** Where a step is put by what is said about it; NaN where it is left as sung. @param step as stepSung gives it */
export const stepPut = (scale: Scale, step: Cents): Cents =>
  scale.rules && leftAsSung(scale, step) ? NaN : nearestStep(scale, step);

/** The step a number of steps above (or below) the one nearest to a pitch. */
export function stepFrom(scale: Scale, cents: Cents, by: number): Cents {
  if (scale.rules) {
    // rules of one octave make the steps of each its own
    let at = nearestStep(scale, cents);
    for (let left = Math.abs(by); left > 0; left--) {
      const next = allowedAbout(scale, at).filter(c => (by > 0 ? c > at + 1e-6 : c < at - 1e-6));
      if (!next.length) break;
      at = by > 0 ? Math.min(...next) : Math.max(...next);
    }
    return at;
  }
  const { steps, period, root } = scale;
  const { step, turn } = nearestOf(steps, scale, cents);
  const index = step + turn * steps.length + by;
  const octave = Math.floor(index / steps.length);
  return root + octave * period + steps[index - octave * steps.length];
}

/** A row of the field: a step of the tuning in one octave. */
export interface Row {
  /** MIDI: where it lies, and half way to its neighbours. */
  at: number;
  low: number;
  high: number;
  /** Which step, 0 is the tonic; of the semitones where these are the rows. */
  step: number;
  /** Counted among those that are sung, 1 for the tonic; 0 where it is not sung. */
  degree: number;
}

/** Rows further from every semitone than this are rows of their own, cents. */
const AS_SEMITONE = 30;

/** Whether a scale's rows are the semitones, a little higher or lower. */
export const inSemitones = ({ rows, period }: Pick<Scale, 'rows' | 'period'>): boolean =>
  !rows || (rows.length === 12 && period === 1200 && rows.every((r, i) => Math.abs(r - i * 100) < AS_SEMITONE));

/** The rows between two pitches, from below. */
export function rowsBetween(scale: Scale, low: number, high: number): Row[] {
  if (inSemitones(scale)) {
    const tonic = Math.round(scale.root / 100);
    return Array.from({ length: Math.max(0, Math.floor(high) - Math.ceil(low) + 1) }, (_, i) => {
      const at = Math.ceil(low) + i;
      return { at, low: at - 0.5, high: at + 0.5, step: pitchClass(at - tonic), degree: degreeIn(scale, at) };
    });
  }
  const { root, period } = scale;
  const rows = scale.rows!;
  const pitchOf = (i: number) =>
    (root + Math.floor(i / rows.length) * period + rows[((i % rows.length) + rows.length) % rows.length]) / 100;
  const first = Math.floor((low * 100 - root) / period) * rows.length;
  const out: Row[] = [];
  for (let i = first; pitchOf(i) <= high; i++) {
    const at = pitchOf(i);
    if (at < low) continue;
    const step = ((i % rows.length) + rows.length) % rows.length;
    const degree = scale.steps.findIndex(s => Math.abs(s - rows[step]) < 1e-6) + 1;
    out.push({ at, low: (pitchOf(i - 1) + at) / 2, high: (at + pitchOf(i + 1)) / 2, step, degree });
  }
  return out;
}

/** Which allowed step a semitone holds, 1 for the tonic; 0 where none lies within half a semitone of it. */
export function degreeIn(scale: Scale, midi: number): number {
  const cents = Math.round(midi) * 100;
  const { root } = scale;
  const off = root - Math.round(root / 100) * 100;
  const { at, step } = nearestOf(scale.steps, scale, cents + off);
  return Math.abs(at - cents - off) <= 50 ? step + 1 : 0;
}

/**
 * Reads a Scala tuning file (.scl): description, count, then one ratio or cents value a line; the last is the period.
 * A scale of twelve steps is thinned to a key's degrees when a key is given.
 * @throws Error saying which line is wrong
 */
export function readScala(text: string, key: Key | null): Scale {
  const numbered = text
    .split(/\r?\n/)
    .map((line, i) => ({ line, number: i + 1 }))
    .filter(l => !l.line.startsWith('!'));
  const lines = numbered.map(l => l.line);
  if (lines.length < 2) throw new Error('it is not a Scala tuning file');
  const stated = /^\s*(\d+)\s*(\s.*)?$/.exec(lines[1]);
  // without a count every line that follows the description is a step
  const first = stated ? 2 : 1;
  const rest = numbered.slice(first).filter(l => l.line.trim());
  const count = stated ? Number(stated[1]) : rest.length;
  if (!(count >= 1 && count <= 1000)) throw new Error('the count of its steps is missing');
  const values = rest.slice(0, count).map(({ line, number }, i) => scalaValue(line, number, i + 1));
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

function scalaValue(line: string, number: number, step: number): Cents {
  const word = line.trim().split(/\s+/)[0] ?? '';
  const ratio = /^(\d+)(?:\/(\d+))?$/.exec(word);
  const cents = word.includes('.')
    ? Number(word)
    : ratio
      ? 1200 * Math.log2(Number(ratio[1]) / Number(ratio[2] ?? 1))
      : NaN;
  if (!Number.isFinite(cents))
    throw new Error(`line ${number}: step ${step} ("${line.trim()}") is neither cents nor a ratio`);
  return cents;
}

/**
 * Reads a Scala keyboard mapping (.kbm): which steps its keys sing, and where step 0 lies.
 * @param rows cents of the tuning's steps, 0 first
 * @returns steps that some key sings, and cents of step 0 from MIDI 0
 * @throws Error saying which line is wrong
 */
export function readKeyboardMap(text: string, rows: readonly Cents[], period: Cents): { sung: number[]; root: Cents } {
  const lines = text
    .split(/\r?\n/)
    .map((line, i) => ({ line: line.replace(/!.*$/, '').trim(), number: i + 1 }))
    .filter(l => l.line);
  const number = (at: number, what: string): number => {
    const found = lines[at] as { line: string; number: number } | undefined;
    const value = Number(found?.line);
    if (!found || !Number.isFinite(value))
      throw new Error(
        found ? `line ${found.number} ("${found.line.slice(0, 40)}") is no ${what}` : `its ${what} is missing`,
      );
    return value;
  };
  const size = number(0, 'size of the map');
  const middle = number(3, 'middle key');
  const referenceKey = number(4, 'reference key');
  const referenceHz = number(5, 'reference frequency');
  if (!(size >= 0 && size <= 1024)) throw new Error(`line ${lines[0].number}: the size of the map must be 0 to 1024`);
  if (!(referenceHz > 0)) throw new Error(`line ${lines[5].number}: the reference frequency must be above 0`);
  const keys: (number | null)[] = size
    ? Array.from({ length: size }, (_, i) =>
        /^x$/i.test(lines[7 + i]?.line ?? 'x') ? null : number(7 + i, 'step of a key'),
      )
    : rows.map((_, i) => i);
  const formal = size ? number(6, 'step of the octave') : rows.length;
  /** Cents of a step of any number above step 0. */
  const centsOf = (step: number) =>
    Math.floor(step / rows.length) * period + rows[((step % rows.length) + rows.length) % rows.length];
  const away = referenceKey - middle;
  const turn = Math.floor(away / keys.length);
  const mapped = keys[away - turn * keys.length];
  if (mapped === null) throw new Error(`line ${lines[4].number}: the reference key sings no step`);
  const reference = centsOf(mapped) + turn * centsOf(formal || rows.length);
  const sung = new Set(keys.flatMap(k => (k === null ? [] : [((k % rows.length) + rows.length) % rows.length])));
  return {
    sung: [...sung].sort((a, b) => a - b),
    root: 6900 + 1200 * Math.log2(referenceHz / 440) - reference,
  };
}
