import type { Midi } from '../units';

const SHARPS = ['C', 'C♯', 'D', 'D♯', 'E', 'F', 'F♯', 'G', 'G♯', 'A', 'A♯', 'B'];
const FLATS = ['C', 'D♭', 'D', 'E♭', 'E', 'F', 'G♭', 'G', 'A♭', 'A', 'B♭', 'B'];
const LETTERS: Record<string, number> = { C: 0, D: 2, E: 4, F: 5, G: 7, A: 9, B: 11 };

/** 0..11 of any whole number. */
export const pitchClass = (step: number): number => ((step % 12) + 12) % 12;

export type Mode = 'major' | 'minor';
export interface Key {
  /** Pitch class, 0 = C. */
  tonic: number;
  mode: Mode;
}

const DEGREES: Record<Mode, number[]> = { major: [0, 2, 4, 5, 7, 9, 11], minor: [0, 2, 3, 5, 7, 8, 10] };
/** Tonics written with flats, as pitch classes. */
const FLAT_KEYS: Record<Mode, number[]> = { major: [5, 10, 3, 8, 1], minor: [2, 7, 0, 5, 10, 3] };

export const usesFlats = (key: Key | null): boolean => !!key && FLAT_KEYS[key.mode].includes(key.tonic);

/** Name of a pitch class in a key. @example stepName(6, { tonic: 2, mode: 'major' }) // 'F♯' */
export const stepName = (step: number, key: Key | null = null): string =>
  (usesFlats(key) ? FLATS : SHARPS)[pitchClass(step)];

/** Name with octave of the nearest semitone. @example noteName(57) // 'A3' */
export const noteName = (midi: Midi, key: Key | null = null): string =>
  `${stepName(Math.round(midi), key)}${Math.floor(Math.round(midi) / 12) - 1}`;

/** @example keyName({ tonic: 2, mode: 'major' }) // 'D major' */
export const keyName = (key: Key): string => `${stepName(key.tonic, key)} ${key.mode}`;

/** Degree 1..7 of a pitch in a key, 0 when it lies outside. */
export const degreeOf = (midi: Midi, key: Key): number =>
  DEGREES[key.mode].indexOf(pitchClass(Math.round(midi) - key.tonic)) + 1;

/** Pitch classes of a key. */
export const stepsOf = (key: Key): number[] => DEGREES[key.mode].map(d => pitchClass(key.tonic + d));

/** The 24 keys, majors first. */
export const KEYS: readonly Key[] = (['major', 'minor'] as const).flatMap(mode =>
  Array.from({ length: 12 }, (_, tonic) => ({ tonic, mode })),
);

/**
 * Reads "D major", "F# minor", "B♭ major", "Ebm". @throws Error naming what is wrong
 */
export function parseKey(text: string): Key {
  const m = /^\s*([A-Ga-g])\s*([#♯b♭]?)\s*(major|minor|maj|min|m)?\s*$/.exec(text);
  if (!m) throw new Error(`"${text}" is not a key; write for example "D major" or "F# minor"`);
  const accidental = m[2] === '#' || m[2] === '♯' ? 1 : m[2] ? -1 : 0;
  return {
    tonic: pitchClass(LETTERS[m[1].toUpperCase()] + accidental),
    mode: /^m(in|inor)?$/.test(m[3] ?? '') ? 'minor' : 'major',
  };
}

const NOTE = /^\s*([A-Ga-g])\s*([#♯b♭]?)\s*(-?\d)\s*([-+−]\s*\d+(?:\.\d+)?)?\s*(?:c|cents?)?\s*$/;

/** A pitch by its name, cents behind it if need be: "F#3", "B♭4", "A3 -20". @throws Error naming what is wrong */
export function parseNote(text: string): Midi {
  const m = NOTE.exec(text);
  if (!m) throw new Error(`"${text}" is not a note; write for example F#3 or A3 -20`);
  const accidental = m[2] === '#' || m[2] === '♯' ? 1 : m[2] ? -1 : 0;
  const cents = Number((m[4] ?? '0').replace('−', '-').replace(/\s/g, ''));
  return LETTERS[m[1].toUpperCase()] + accidental + 12 * (Number(m[3]) + 1) + cents / 100;
}
