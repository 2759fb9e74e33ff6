import type { AlignRule } from '@essim/core';

/** Starting points for how a track follows: five of ours, and the user's own, kept with the browser. */

const FIELDS = ['closeness', 'lean', 'levelLean', 'bending', 'scatterTime', 'scatterPitch'] as const;
export type Start = { name: string } & Pick<AlignRule, (typeof FIELDS)[number]>;

export const STARTS: readonly Start[] = [
  { name: 'Time alone', closeness: 100, lean: 0, levelLean: 0, bending: 1.6, scatterTime: 0, scatterPitch: 0 },
  { name: 'Doubles', closeness: 100, lean: 60, levelLean: 30, bending: 1.6, scatterTime: 0, scatterPitch: 0 },
  { name: 'Harmonies', closeness: 100, lean: 0, levelLean: 20, bending: 1.6, scatterTime: 0, scatterPitch: 0 },
  { name: 'Loose', closeness: 55, lean: 0, levelLean: 0, bending: 1.3, scatterTime: 0, scatterPitch: 0 },
  { name: 'Close', closeness: 100, lean: 90, levelLean: 60, bending: 2, scatterTime: 25, scatterPitch: 40 },
];

const KEY = 'essim align starts';
const MOST = 50;

const isStart = (v: unknown): v is Start =>
  typeof v === 'object' &&
  v !== null &&
  typeof (v as Start).name === 'string' &&
  FIELDS.every(f => typeof (v as Start)[f] === 'number' && Number.isFinite((v as Start)[f]));

export function ownStarts(): Start[] {
  try {
    const found: unknown = JSON.parse(localStorage.getItem(KEY) ?? '[]');
    return Array.isArray(found) ? found.filter(isStart).slice(0, MOST) : [];
  } catch {
    return [];
  }
}

function keep(list: readonly Start[]): boolean {
  try {
    localStorage.setItem(KEY, JSON.stringify(list.slice(-MOST)));
    return true;
  } catch {
    return false;
  }
}

/** Keeps how a track follows under a name; one of that name is replaced. @returns whether it could be kept */
export function keepStart(name: string, rule: AlignRule): boolean {
  const called = name.trim().slice(0, 60);
  if (!called) return false;
  const made: Start = { ...valuesOf(rule), name: called };
  return keep([...ownStarts().filter(s => s.name !== called), made]);
}

export const forgetStart = (name: string): boolean => keep(ownStarts().filter(s => s.name !== name));

/** What of a rule a starting point says. */
export const valuesOf = (rule: Pick<AlignRule, (typeof FIELDS)[number]>): Omit<Start, 'name'> =>
  Object.fromEntries(FIELDS.map(f => [f, rule[f]])) as Omit<Start, 'name'>;

/** The starting point a track follows by now, if any. */
export const startOf = (rule: AlignRule, all: readonly Start[]): Start | undefined =>
  all.find(s => FIELDS.every(f => s[f] === rule[f]));
