import type { Cents } from '../units';
import type { Mode } from './pitch';

/** Scales and temperaments by name. Steps are cents above the tonic, the octave apart. */
export interface NamedScale {
  name: string;
  family: 'common' | 'mode' | 'five' | 'other' | 'maqam' | 'raga' | 'temperament';
  /** Its rows, where these are not the twelve semitones. */
  rows?: readonly Cents[];
  /** Which of its rows are sung; absent: those of the key, or all where it is no scale of the twelve. */
  sung?: readonly number[];
  /** What is nearest to it of major and minor: names and spelling go by that. */
  mode?: Mode;
  /** Where it is from. */
  source?: string;
}

const of12 = (name: string, family: NamedScale['family'], mode: Mode, ...sung: number[]): NamedScale => ({
  name,
  family,
  mode,
  sung,
});
const FIFTH = 1200 * Math.log2(3 / 2);
/** Twelve steps out of a chain of fifths, each so many cents wide, from so many below the tonic. */
const chain = (fifths: readonly Cents[], below: number): Cents[] => {
  const steps = [0];
  let at = 0;
  for (let i = below; i < below + fifths.length - 1; i++) steps.push((at += fifths[i % 12]));
  return [...new Set(steps.map(s => Math.round((((s % 1200) + 1200) % 1200) * 1e4) / 1e4))].sort((a, b) => a - b);
};
/** Fifths from the tonic up: C G D A E B F# C# G# D# A# F. */
const tempered = (by: Record<number, number>, unit: Cents): Cents[] =>
  chain(
    Array.from({ length: 12 }, (_, i) => FIFTH - (by[i] ?? 0) * unit),
    0,
  );
const PYTHAGOREAN_COMMA = 12 * FIFTH - 7 * 1200;
const SYNTONIC_COMMA = 1200 * Math.log2(81 / 80);
/** Twelve steps with the tonic in the middle of the chain, three fifths down and eight up. */
const meantone = (fifth: Cents): Cents[] =>
  Array.from({ length: 12 }, (_, i) => ((((i - 3) * fifth) % 1200) + 1200) % 1200).sort((a, b) => a - b);
const ratios = (...list: [number, number][]): Cents[] => list.map(([a, b]) => 1200 * Math.log2(a / b));

const TOUMA = 'quarter tones as written; Touma, The Music of the Arabs (1996)';
const JAIRAZBHOY = 'the ten thats of Bhatkhande; Jairazbhoy, The Rags of North Indian Music (1971)';
const BARBOUR = 'Barbour, Tuning and Temperament (1951)';

export const NAMED_SCALES: readonly NamedScale[] = [
  of12('major', 'common', 'major', 0, 2, 4, 5, 7, 9, 11),
  of12('minor', 'common', 'minor', 0, 2, 3, 5, 7, 8, 10),
  of12('harmonic minor', 'common', 'minor', 0, 2, 3, 5, 7, 8, 11),
  of12('melodic minor', 'common', 'minor', 0, 2, 3, 5, 7, 9, 11),
  of12('chromatic', 'common', 'major', 0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11),
  of12('ionian', 'mode', 'major', 0, 2, 4, 5, 7, 9, 11),
  of12('dorian', 'mode', 'minor', 0, 2, 3, 5, 7, 9, 10),
  of12('phrygian', 'mode', 'minor', 0, 1, 3, 5, 7, 8, 10),
  of12('lydian', 'mode', 'major', 0, 2, 4, 6, 7, 9, 11),
  of12('mixolydian', 'mode', 'major', 0, 2, 4, 5, 7, 9, 10),
  of12('aeolian', 'mode', 'minor', 0, 2, 3, 5, 7, 8, 10),
  of12('locrian', 'mode', 'minor', 0, 1, 3, 5, 6, 8, 10),
  of12('major pentatonic', 'five', 'major', 0, 2, 4, 7, 9),
  of12('minor pentatonic', 'five', 'minor', 0, 3, 5, 7, 10),
  of12('blues', 'five', 'minor', 0, 3, 5, 6, 7, 10),
  of12('major blues', 'five', 'major', 0, 2, 3, 4, 7, 9),
  of12('harmonic major', 'other', 'major', 0, 2, 4, 5, 7, 8, 11),
  of12('double harmonic', 'other', 'major', 0, 1, 4, 5, 7, 8, 11),
  of12('phrygian dominant', 'other', 'major', 0, 1, 4, 5, 7, 8, 10),
  of12('lydian dominant', 'other', 'major', 0, 2, 4, 6, 7, 9, 10),
  of12('hungarian minor', 'other', 'minor', 0, 2, 3, 6, 7, 8, 11),
  of12('altered', 'other', 'minor', 0, 1, 3, 4, 6, 8, 10),
  of12('whole tone', 'other', 'major', 0, 2, 4, 6, 8, 10),
  of12('octatonic', 'other', 'minor', 0, 2, 3, 5, 6, 8, 9, 11),
  of12('octatonic, half tone first', 'other', 'major', 0, 1, 3, 4, 6, 7, 9, 10),
  ...(
    [
      ['maqam rast', 'major', [0, 200, 350, 500, 700, 900, 1050]],
      ['maqam bayati', 'minor', [0, 150, 300, 500, 700, 800, 1000]],
      ['maqam sikah', 'minor', [0, 150, 350, 550, 700, 850, 1050]],
      ['maqam hijaz', 'major', [0, 100, 400, 500, 700, 800, 1000]],
      ['maqam saba', 'minor', [0, 150, 300, 400, 700, 800, 1000]],
      ['maqam nahawand', 'minor', [0, 200, 300, 500, 700, 800, 1000]],
      ['maqam kurd', 'minor', [0, 100, 300, 500, 700, 800, 1000]],
      ['maqam ajam', 'major', [0, 200, 400, 500, 700, 900, 1100]],
    ] as const
  ).map(([name, mode, rows]): NamedScale => ({ name, family: 'maqam', mode, rows, source: TOUMA })),
  ...(
    [
      ['bilaval', 'major', [0, 2, 4, 5, 7, 9, 11]],
      ['khamaj', 'major', [0, 2, 4, 5, 7, 9, 10]],
      ['kafi', 'minor', [0, 2, 3, 5, 7, 9, 10]],
      ['asavari', 'minor', [0, 2, 3, 5, 7, 8, 10]],
      ['bhairavi', 'minor', [0, 1, 3, 5, 7, 8, 10]],
      ['bhairav', 'major', [0, 1, 4, 5, 7, 8, 11]],
      ['kalyan', 'major', [0, 2, 4, 6, 7, 9, 11]],
      ['marva', 'major', [0, 1, 4, 6, 7, 9, 11]],
      ['purvi', 'major', [0, 1, 4, 6, 7, 8, 11]],
      ['todi', 'minor', [0, 1, 3, 6, 7, 8, 11]],
    ] as const
  ).map(([name, mode, sung]): NamedScale => ({ name: `that ${name}`, family: 'raga', mode, sung, source: JAIRAZBHOY })),
  { name: 'Pythagorean', family: 'temperament', rows: meantone(FIFTH), source: BARBOUR },
  {
    name: 'quarter-comma meantone',
    family: 'temperament',
    rows: meantone(FIFTH - SYNTONIC_COMMA / 4),
    source: BARBOUR,
  },
  {
    name: 'Werckmeister III',
    family: 'temperament',
    rows: tempered({ 0: 1, 1: 1, 2: 1, 5: 1 }, PYTHAGOREAN_COMMA / 4),
    source: BARBOUR,
  },
  {
    name: 'Kirnberger III',
    family: 'temperament',
    rows: tempered(
      { 0: 1, 1: 1, 2: 1, 3: 1, 6: (4 * (PYTHAGOREAN_COMMA - SYNTONIC_COMMA)) / SYNTONIC_COMMA },
      SYNTONIC_COMMA / 4,
    ),
    source: BARBOUR,
  },
  {
    name: 'Vallotti',
    family: 'temperament',
    rows: tempered({ 11: 1, 0: 1, 1: 1, 2: 1, 3: 1, 4: 1 }, PYTHAGOREAN_COMMA / 6),
    source: BARBOUR,
  },
  {
    name: 'just',
    family: 'temperament',
    rows: ratios([1, 1], [16, 15], [9, 8], [6, 5], [5, 4], [4, 3], [45, 32], [3, 2], [8, 5], [5, 3], [9, 5], [15, 8]),
    source: BARBOUR,
  },
];

const EQUAL = /^(\d{1,3})\s*equal(?: steps)?$/;
const MOST_EQUAL = 120;

/** A scale by its name, equal divisions of the octave ("19 equal") too; null for a name nobody has. */
export function scaleNamed(name: string): NamedScale | null {
  const wanted = name.trim().toLowerCase();
  const equal = EQUAL.exec(wanted);
  if (equal) {
    const count = Number(equal[1]);
    if (count < 2 || count > MOST_EQUAL) return null;
    return {
      name: `${count} equal`,
      family: 'temperament',
      rows: Array.from({ length: count }, (_, i) => (i * 1200) / count),
    };
  }
  return NAMED_SCALES.find(s => s.name.toLowerCase() === wanted) ?? null;
}
