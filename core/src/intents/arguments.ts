/** What a command takes, described so that faders, recipes, help and checks read the same. */
export type Argument = {
  name: string;
  about: string;
  /** Must be given. */
  required?: boolean;
} & (
  | { kind: 'number'; low: number; high: number; unit: string; whole?: boolean; nullable?: boolean }
  | { kind: 'choice'; of: readonly string[] }
  | { kind: 'text'; most: number }
  | { kind: 'flag' }
  /** A file's bytes, as a data URL; recipes name the file. */
  | { kind: 'file'; what: string }
  /** A file's bytes as above, or the name of a track. */
  | { kind: 'file-or-name'; what: string }
  /** Voices with the compass of each. */
  | { kind: 'voices'; most: number }
  /** A name, or a number counted from 1. */
  | { kind: 'which' }
  | { kind: 'notes'; most: number }
  | { kind: 'pairs'; most: number; first: Bounds; second: { most: number } }
  | { kind: 'points'; most: number; first: Bounds; second: Bounds }
  | ({ kind: 'numbers'; most: number } & Bounds)
  | { kind: 'rule'; of: readonly string[]; highest: number }
);

interface Bounds {
  low: number;
  high: number;
  unit: string;
}

/** A voice that is asked for, its compass MIDI. */
export interface AskedVoice {
  readonly name?: string;
  readonly low: number;
  readonly high: number;
}

export type Value =
  | number
  | string
  | boolean
  | null
  | readonly (readonly [number, string])[]
  | readonly (readonly [number, number])[]
  | readonly (readonly [number, number, number])[]
  | readonly number[]
  | readonly AskedVoice[]
  | { readonly to: number };
export type Values = Readonly<Record<string, Value | undefined>>;

/** Arguments that are not what a command takes; the message names the argument. */
export class ArgumentError extends Error {
  override name = 'ArgumentError';
}

/**
 * Checks what a command was given.
 * @returns the same, known to fit the description
 * @throws ArgumentError naming the argument: "wander 140 is over 100 %"
 */
export function checkedArguments(args: readonly Argument[], given: unknown): Values {
  if (given === undefined) given = {};
  if (typeof given !== 'object' || given === null || Array.isArray(given))
    throw new ArgumentError('"with" must hold arguments by name');
  const out: Record<string, Value> = {};
  for (const [name, value] of Object.entries(given)) {
    const arg = args.find(a => a.name === name);
    if (!arg) throw new ArgumentError(`it takes no "${name}"${args.length ? `; it takes ${listed(args)}` : ''}`);
    out[name] = checked(arg, value);
  }
  const missing = args.find(a => a.required && !(a.name in out));
  if (missing) throw new ArgumentError(`"${missing.name}" is missing: ${missing.about}`);
  return out;
}

const listed = (args: readonly Argument[]) => args.map(a => a.name).join(', ');
const shown = (value: unknown) => JSON.stringify(value)?.slice(0, 60) ?? 'nothing';

function checked(arg: Argument, value: unknown): Value {
  switch (arg.kind) {
    case 'number':
      if (value === null && arg.nullable) return null;
      return checkedNumber(arg.name, value, arg);
    case 'choice':
      if (typeof value !== 'string' || !arg.of.includes(value))
        throw new ArgumentError(`${arg.name} ${shown(value)} is none of ${arg.of.join(', ')}`);
      return value;
    case 'text':
      if (typeof value !== 'string' || !value.trim()) throw new ArgumentError(`${arg.name} must be a text`);
      if (value.length > arg.most) throw new ArgumentError(`${arg.name} is longer than ${arg.most} characters`);
      return value;
    case 'flag':
      if (typeof value !== 'boolean') throw new ArgumentError(`${arg.name} must be true or false`);
      return value;
    case 'file':
      if (typeof value !== 'string' || !value.startsWith('data:'))
        throw new ArgumentError(`${arg.name} ${shown(value)} is no file that is at hand`);
      return value;
    case 'file-or-name':
      if (typeof value !== 'string' || !value.trim()) throw new ArgumentError(`${arg.name} must be a name or a file`);
      return value;
    case 'voices': {
      if (!Array.isArray(value) || !value.length) throw new ArgumentError(`${arg.name} must be a list of voices`);
      if (value.length > arg.most) throw new ArgumentError(`${arg.name} holds more than ${arg.most} voices`);
      return value.map((voice: unknown, i): AskedVoice => {
        const where = `${arg.name}: voice ${i + 1}:`;
        if (typeof voice !== 'object' || voice === null)
          throw new ArgumentError(`${where} name, low and high are asked`);
        const { name, low, high, ...more } = voice as Record<string, unknown>;
        const unknown = Object.keys(more)[0] as string | undefined;
        if (unknown) throw new ArgumentError(`${where} it takes no "${unknown}"`);
        if (name !== undefined && (typeof name !== 'string' || !name.trim() || name.length > 190))
          throw new ArgumentError(`${where} name must be a text of at most 190 characters`);
        const bounds = { low: 0, high: 127, unit: 'MIDI' };
        const [from, to] = [checkedNumber(`${where} low`, low, bounds), checkedNumber(`${where} high`, high, bounds)];
        if (!(to - from >= 3)) throw new ArgumentError(`${where} its compass is narrower than 3 semitones`);
        return { ...(name === undefined ? {} : { name: name as string }), low: from, high: to };
      });
    }
    case 'which':
      if (typeof value === 'number')
        return checkedNumber(arg.name, value, { low: 1, high: 1000, unit: '', whole: true });
      if (typeof value !== 'string' || !value.trim()) throw new ArgumentError(`${arg.name} must be a name or a number`);
      return value;
    case 'notes': {
      if (!Array.isArray(value)) throw new ArgumentError(`${arg.name} must be a list of notes`);
      if (value.length > arg.most) throw new ArgumentError(`${arg.name} holds more than ${arg.most} notes`);
      const time = { low: 0, high: 86400, unit: 's' };
      return value.map((note: unknown, i) => {
        const where = `${arg.name}: note ${i + 1}:`;
        if (!Array.isArray(note) || note.length !== 3)
          throw new ArgumentError(`${where} start, end and pitch are asked`);
        const [start, end] = [checkedNumber(where, note[0], time), checkedNumber(where, note[1], time)];
        if (!(end > start)) throw new ArgumentError(`${where} it ends before it begins`);
        return [start, end, checkedNumber(where, note[2], { low: 0, high: 128, unit: 'MIDI' })] as const;
      });
    }
    case 'pairs': {
      if (!Array.isArray(value)) throw new ArgumentError(`${arg.name} must be a list of pairs`);
      if (value.length > arg.most) throw new ArgumentError(`${arg.name} holds more than ${arg.most} pairs`);
      return value.map((pair: unknown, i) => {
        if (!Array.isArray(pair) || pair.length !== 2 || typeof pair[1] !== 'string')
          throw new ArgumentError(`${arg.name}: pair ${i + 1} must be a number and a text`);
        if (!pair[1] || pair[1].length > arg.second.most)
          throw new ArgumentError(
            `${arg.name}: the text of pair ${i + 1} must have 1 to ${arg.second.most} characters`,
          );
        return [checkedNumber(`${arg.name}: pair ${i + 1}:`, pair[0], arg.first), pair[1]] as const;
      });
    }
    case 'numbers':
      if (!Array.isArray(value)) throw new ArgumentError(`${arg.name} must be a list of numbers`);
      if (value.length > arg.most) throw new ArgumentError(`${arg.name} holds more than ${arg.most} numbers`);
      return value.map((v: unknown, i) => checkedNumber(`${arg.name}: number ${i + 1}:`, v, arg));
    case 'rule': {
      if (typeof value === 'string' && arg.of.includes(value)) return value;
      const keys = typeof value === 'object' && value !== null ? Object.keys(value) : [];
      if (keys.length !== 1 || keys[0] !== 'to')
        throw new ArgumentError(`${arg.name} ${shown(value)} is none of ${arg.of.join(', ')} and no {"to": step}`);
      const bounds = { low: 0, high: arg.highest, unit: '', whole: true };
      return { to: checkedNumber(`${arg.name}: to`, (value as { to: unknown }).to, bounds) };
    }
    case 'points': {
      if (!Array.isArray(value)) throw new ArgumentError(`${arg.name} must be a list of points`);
      if (value.length > arg.most) throw new ArgumentError(`${arg.name} holds more than ${arg.most} points`);
      return value.map((point: unknown, i) => {
        if (!Array.isArray(point) || point.length !== 2)
          throw new ArgumentError(`${arg.name}: point ${i + 1} must be two numbers`);
        const where = `${arg.name}: point ${i + 1}:`;
        return [checkedNumber(where, point[0], arg.first), checkedNumber(where, point[1], arg.second)] as const;
      });
    }
  }
}

function checkedNumber(name: string, value: unknown, { low, high, unit, whole }: Bounds & { whole?: boolean }): number {
  if (typeof value !== 'number' || !Number.isFinite(value))
    throw new ArgumentError(`${name} ${shown(value)} is no number`);
  const of = unit ? ` ${unit}` : '';
  if (value < low) throw new ArgumentError(`${name} ${value} is under ${low}${of}`);
  if (value > high) throw new ArgumentError(`${name} ${value} is over ${high}${of}`);
  if (whole && !Number.isInteger(value)) throw new ArgumentError(`${name} ${value} is no whole number`);
  return value;
}
