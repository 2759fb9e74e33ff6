import { pitchClass } from './pitch';

const LETTERS: Record<string, number> = { C: 0, D: 2, E: 4, F: 5, G: 7, A: 9, B: 11 };
const CHORD = /^([A-G])([#♯b♭]?)(.*?)(?:\/([A-G])([#♯b♭]?))?$/;

const accidental = (sign: string): number => (sign === '#' || sign === '♯' ? 1 : sign ? -1 : 0);

/** Steps above the root by how a chord is written, the longer way of writing it first. */
const QUALITIES: readonly [RegExp, readonly number[]][] = [
  [/^(maj|M|Δ)(7|9|11|13)/, [0, 4, 7, 11]],
  [/^(m|min|-)(maj|M)7/, [0, 3, 7, 11]],
  [/^(m7b5|m7♭5|ø)/, [0, 3, 6, 10]],
  [/^(dim|°|o)7/, [0, 3, 6, 9]],
  [/^(dim|°|o)/, [0, 3, 6]],
  [/^(aug|\+)7?/, [0, 4, 8]],
  [/^(m|min|-)6/, [0, 3, 7, 9]],
  [/^(m|min|-)(7|9|11|13)/, [0, 3, 7, 10]],
  [/^(m|min|-)(?!aj)/, [0, 3, 7]],
  [/^sus2/, [0, 2, 7]],
  [/^7?sus4?/, [0, 5, 7]],
  [/^5/, [0, 7]],
  [/^6/, [0, 4, 7, 9]],
  [/^(7|9|11|13)/, [0, 4, 7, 10]],
  [/^(maj|add|$)/, [0, 4, 7]],
];

/** Pitch classes of a chord by its name, the root first: "D", "F#m7", "Bb/F". None for a name that is no chord. */
export function chordTones(name: string): number[] {
  const m = CHORD.exec(name.trim());
  if (!m) return [];
  const root = LETTERS[m[1]] + accidental(m[2]);
  const steps = QUALITIES.find(([written]) => written.test(m[3]))?.[1];
  if (!steps) return [];
  const tones = steps.map(s => pitchClass(root + s));
  if (m[4]) tones.push(pitchClass(LETTERS[m[4]] + accidental(m[5] ?? '')));
  return [...new Set(tones)];
}

/** A chord's name taken apart; null for what is no chord. */
export interface ReadChord {
  /** Letter and -1, 0 or 1. */
  root: { step: string; alter: number };
  /** As it is written after the root: "m7". */
  quality: string;
  bass: { step: string; alter: number } | null;
}

export function readChord(name: string): ReadChord | null {
  const m = chordTones(name).length ? CHORD.exec(name.trim()) : null;
  if (!m) return null;
  return {
    root: { step: m[1], alter: accidental(m[2]) },
    quality: m[3],
    bass: m[4] ? { step: m[4], alter: accidental(m[5] ?? '') } : null,
  };
}
