import { OwnStart, setSong } from '@essim/core';
import { change, songOf, useSession, type SessionState } from '../../open-song';
import { newId } from '../../keeping/ids';
import { faderValue, touchedInScope } from './edits';

/** Starting points of the user's own: kept with the song, so that they go where it goes, and with the browser, for other songs. */

const KEY = 'essim starts';
const FIELDS = ['aim', 'wander', 'vibrato', 'scoop', 'fall'] as const;

const isStart = (v: unknown): v is OwnStart =>
  typeof v === 'object' &&
  v !== null &&
  typeof (v as OwnStart).name === 'string' &&
  FIELDS.every(f => typeof (v as OwnStart)[f] === 'number' && Number.isFinite((v as OwnStart)[f]));

function inBrowser(): OwnStart[] {
  try {
    const found: unknown = JSON.parse(localStorage.getItem(KEY) ?? '[]');
    return Array.isArray(found) ? found.filter(isStart).slice(0, 100) : [];
  } catch {
    return [];
  }
}
function keepInBrowser(list: readonly OwnStart[]): void {
  try {
    localStorage.setItem(KEY, JSON.stringify(list));
  } catch {
    // the song has it
  }
}

/** Those of the song, and those of the browser that it has not. */
export function ownStarts(s: SessionState): OwnStart[] {
  const mine = songOf(s)?.starts ?? [];
  return [...mine, ...inBrowser().filter(b => !mine.some(m => m.name === b.name))];
}

/** Keeps what the first note in scope is set to under a name; one of that name is replaced. */
export function keepStart(name: string): boolean {
  const [first] = touchedInScope();
  const { starts } = songOf(useSession.getState()) ?? { starts: [] };
  if (!first || !name.trim()) return false;
  const rest = { aim: 100, wander: 100, vibrato: 100, scoop: 100, fall: 100 };
  const values = Object.fromEntries(FIELDS.map(f => [f, faderValue(first, f) ?? rest[f]]));
  const made = Object.assign(new OwnStart(), { id: newId(), name: name.trim().slice(0, 60), ...values });
  keepInBrowser([...inBrowser().filter(s => s.name !== made.name), made]);
  return change(`Keep ${made.name}`, setSong({ starts: [...starts.filter(s => s.name !== made.name), made] }));
}

/** Forgets one, here and in the browser. */
export function forgetStart(name: string): void {
  const { starts } = songOf(useSession.getState()) ?? { starts: [] };
  keepInBrowser(inBrowser().filter(s => s.name !== name));
  if (starts.some(s => s.name === name))
    change(`Forget ${name}`, setSong({ starts: starts.filter(s => s.name !== name) }));
}

export const valuesOf = (start: OwnStart): Record<string, number> => Object.fromEntries(FIELDS.map(f => [f, start[f]]));
