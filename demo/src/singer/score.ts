/** What the singer is asked to sing, and how. Times in seconds. */
export interface ScoreNote {
  midi: number;
  /** Start after the syllable's vowel onset. */
  at: number;
  cents?: number;
}

export interface Syllable {
  /** Onset of the vowel. */
  t: number;
  duration: number;
  /** Phones in the table's names, one vowel among them. */
  phones: string;
  word: string;
  /** Goes on with the word of the syllable before. */
  continues: boolean;
  notes: ScoreNote[];
  phrase: number;
  stress: number;
  cents?: number;
  gainDb?: number;
  scoopCents?: number;
  scoopTime?: number;
  fallCents?: number;
  grit?: number;
  vibrato?: { depth?: number; rate?: number; delay?: number; build?: number } | 0;
  hardOnset?: boolean;
  /** Talked, not sung: the pitch glides where an accent takes it and its notes are none. */
  spoken?: boolean;
  breath?: { gap: number; length: number; levelDb: number };
  /** What is wrong with it on purpose. */
  mistake?: string;
}

/** A phone with its place in time. */
export interface Phone {
  name: string;
  start: number;
  end: number;
  syllable: number;
  position: 'onset' | 'vowel' | 'coda';
}

/** A syllable laid out: where its phones lie and how it hangs together with its neighbours. */
export interface TimedSyllable extends Syllable {
  /** Start of its first phone. */
  start: number;
  vowelEnd: number;
  /** No gap to the next, or from the one before. */
  tied: boolean;
  legatoIn: boolean;
  phonesOf: Phone[];
}
