import { create } from 'zustand';
import { persist } from 'zustand/middleware';

/** Keys of the user's own: kept with the browser, written to a file and read from one. */

interface Shortcuts {
  /** By the action's id; an empty list: no key. */
  own: Readonly<Record<string, readonly string[]>>;
}

export const useShortcuts = create<Shortcuts>()(persist((): Shortcuts => ({ own: {} }), { name: 'essim.shortcuts' }));

interface Keyed {
  id: string;
  name: string;
  keys: string[];
}

/** Actions with the keys the user has given them. A key the user gave to one is no other's any more. */
export function withOwnKeys<A extends Keyed>(actions: readonly A[], own = useShortcuts.getState().own): A[] {
  if (!Object.keys(own).length) return [...actions];
  const given = new Map(actions.flatMap(a => (own[a.id] ?? []).map((k): [key: string, id: string] => [k, a.id])));
  return actions.map(a => {
    const keys = own[a.id] ?? a.keys.filter(k => !given.has(k) || given.get(k) === a.id);
    return keys === a.keys || (keys.length === a.keys.length && keys.every((k, i) => k === a.keys[i]))
      ? a
      : { ...a, keys: [...keys] };
  });
}

/** Who has a key now; null: nobody. */
export const ownerOf = (actions: readonly Keyed[], key: string, but: string): Keyed | null =>
  withOwnKeys(actions).find(a => a.id !== but && a.keys.includes(key)) ?? null;

/** Keys that leave, confirm or type cannot be taken. */
const FIXED = /^(Escape|Tab|Shift\+Tab|Enter|Dead|Control|Alt|Shift|Meta|CapsLock|F5|F11|F12)$/;
export const mayBeGiven = (key: string): boolean =>
  !FIXED.test(key.replace(/^(Ctrl\+|Alt\+|Shift\+)+(?=Control|Alt|Shift|Meta)/, ''));

export const giveKey = (id: string, key: string): void =>
  void useShortcuts.setState(s => ({ own: { ...s.own, [id]: [key] } }));
export const takeKey = (id: string): void => void useShortcuts.setState(s => ({ own: { ...s.own, [id]: [] } }));
export function asItCame(id?: string): void {
  useShortcuts.setState(s => {
    if (!id) return { own: {} };
    const { [id]: _, ...own } = s.own;
    return { own };
  });
}

export const shortcutsFile = (): string =>
  `${JSON.stringify({ essim: 'shortcuts', version: 1, keys: useShortcuts.getState().own }, null, 2)}\n`;

const MOST = 2000;
const ID = /^[\w-]{1,64}$/;

/** @throws Error in words for the user; nothing is taken then */
export function readShortcuts(text: string): void {
  let value: unknown;
  try {
    value = JSON.parse(text);
  } catch {
    throw new Error('it is not JSON');
  }
  const { essim, keys } = (value ?? {}) as { essim?: unknown; keys?: unknown };
  if (essim !== 'shortcuts' || typeof keys !== 'object' || keys === null || Array.isArray(keys))
    throw new Error('it holds no shortcuts of Essim');
  const entries = Object.entries(keys);
  if (entries.length > MOST) throw new Error(`it has more than ${MOST} entries`);
  const own: Record<string, string[]> = {};
  for (const [id, list] of entries) {
    if (!ID.test(id)) throw new Error(`"${id.slice(0, 70)}" is no command`);
    if (!Array.isArray(list) || list.length > 8 || !list.every(k => typeof k === 'string' && k.length <= 40))
      throw new Error(`the keys of "${id}" cannot be used`);
    own[id] = (list as string[]).filter(mayBeGiven);
  }
  useShortcuts.setState({ own });
}
