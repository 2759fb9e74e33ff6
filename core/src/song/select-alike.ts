import type { Midi, Seconds } from '../units';

/** What a note can have in common with those chosen, or be by itself. */
export const ALIKE = [
  'name',
  'pitch',
  'longer',
  'shorter',
  'vibrato',
  'straight',
  'outside',
  'doubtful',
  'edited',
  'word',
] as const;
export type Alike = (typeof ALIKE)[number];

/** What is asked of a note. */
export interface AlikeNote {
  key: string;
  start: Seconds;
  end: Seconds;
  sung: Midi;
  /** Whether it swings regularly. */
  vibrato: boolean;
  /** Whether it lies nearest a step outside the key. */
  outside: boolean;
  doubtful: boolean;
  edited: boolean;
  word: string | null;
}

const plain = (word: string | null): string => (word ?? '').toLowerCase().replace(/[^\p{L}\p{N}]/gu, '');

/**
 * Keys of the notes alike: of the same name, pitch or word as one of those chosen; at least as long as the shortest of them, at most as
 * long as the longest; or with a property, whatever is chosen.
 */
export function alike(notes: readonly AlikeNote[], chosen: ReadonlySet<string>, by: Alike): string[] {
  const picked = notes.filter(n => chosen.has(n.key));
  const lengths = picked.map(n => n.end - n.start);
  const pitches = new Set(picked.map(n => Math.round(n.sung)));
  const names = new Set([...pitches].map(p => ((p % 12) + 12) % 12));
  const words = new Set(picked.map(n => plain(n.word)).filter(Boolean));
  const is: Record<Alike, (n: AlikeNote) => boolean> = {
    name: n => names.has(((Math.round(n.sung) % 12) + 12) % 12),
    pitch: n => pitches.has(Math.round(n.sung)),
    longer: n => n.end - n.start >= Math.min(...lengths) - 1e-9,
    shorter: n => n.end - n.start <= Math.max(...lengths) + 1e-9,
    vibrato: n => n.vibrato,
    straight: n => !n.vibrato,
    outside: n => n.outside,
    doubtful: n => n.doubtful,
    edited: n => n.edited,
    word: n => words.has(plain(n.word)),
  };
  return notes.filter(is[by]).map(n => n.key);
}

/** Whether a way of being alike looks at what is chosen. */
export const needsChosen = (by: Alike): boolean => ['name', 'pitch', 'longer', 'shorter', 'word'].includes(by);

/** Those chosen and the neighbours of each run of them. @param keys of all notes, in time order */
export const grown = (keys: readonly string[], chosen: ReadonlySet<string>): string[] =>
  keys.filter((k, i) => chosen.has(k) || chosen.has(keys[i - 1]) || chosen.has(keys[i + 1]));

/** Those chosen without the first and last of each run. */
export const shrunk = (keys: readonly string[], chosen: ReadonlySet<string>): string[] =>
  keys.filter((k, i) => chosen.has(k) && chosen.has(keys[i - 1]) && chosen.has(keys[i + 1]));

export const inverted = (keys: readonly string[], chosen: ReadonlySet<string>): string[] =>
  keys.filter(k => !chosen.has(k));
