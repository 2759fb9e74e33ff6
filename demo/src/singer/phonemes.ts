/**
 * Phonemes of an adult male tract, in Hz; a voice scales them.
 * Vowels after Peterson and Barney 1952 and Hillenbrand et al. 1995, lowered a little as singers do;
 * consonant loci after Klatt 1980.
 */
export type Formants = [number, number, number, number];

interface Gesture {
  /** Formant targets F1..F4. */
  formants: Formants;
  /** Share of the own locus that is kept per formant; the rest belongs to the vowel beside it. */
  own: Formants;
  /** Length of the formant movement at its borders, ms. */
  transitionMs: number;
}

export interface Vowel {
  type: 'vowel';
  formants: Formants;
  /** Where a diphthong ends. */
  glideTo?: Formants;
}
export interface Sonorant extends Gesture {
  type: 'liquid' | 'nasal';
  durationMs: number;
  voicingDb: number;
  /** Zero and pole of the closed mouth in a murmur, Hz. */
  murmur?: [number, number];
}
export interface Fricative extends Gesture {
  type: 'fricative';
  durationMs: number;
  /** Absent: voiceless. */
  voicingDb?: number;
  frictionDb: number;
  spectrum: FrictionPlace;
  /** How far voicing is muffled, 0..1. */
  muffled?: number;
}
export interface Aspirate {
  type: 'aspirate';
  durationMs: number;
  aspirationDb: number;
}
export interface Stop extends Gesture {
  type: 'stop';
  closureMs: number;
  burstMs: number;
  aspirationMs: number;
  spectrum: FrictionPlace;
  frictionDb: number;
  aspirationDb: number;
  /** Level of the voice bar in a voiced closure. */
  voiceBarDb?: number;
  /** Back of the tongue: its burst follows F2 of the vowel. */
  velar?: boolean;
}
export type Phoneme = Vowel | Sonorant | Fricative | Aspirate | Stop;

/** Three band-pass poles [centre Hz, bandwidth Hz, gain] of the noise made at one place of the mouth. */
export type FrictionSpectrum = [number, number, number][];
export type FrictionPlace = 's' | 'sh' | 'f' | 'th' | 'p' | 't' | 'k' | 'none';

// prettier-ignore
export const FRICTION: Record<FrictionPlace, FrictionSpectrum> = {
  s: [[4900, 900, 0.55], [6600, 1300, 1], [9300, 2600, 0.7]],
  sh: [[2600, 420, 1], [3700, 800, 0.75], [5900, 2400, 0.35]],
  f: [[1300, 1100, 0.25], [3600, 3200, 0.45], [8200, 5200, 0.8]],
  th: [[1500, 1000, 0.18], [5200, 3200, 0.5], [8600, 4200, 0.8]],
  p: [[750, 600, 1], [1700, 1400, 0.6], [3600, 3200, 0.4]],
  t: [[3600, 900, 0.8], [5200, 1800, 1], [8200, 3600, 0.5]],
  k: [[1700, 280, 1], [3400, 900, 0.45], [5600, 2600, 0.3]],
  none: [[2000, 2000, 0], [4000, 2000, 0], [7000, 3000, 0]],
};

const vowel = (formants: Formants, glideTo?: Formants): Vowel => ({ type: 'vowel', formants, glideTo });
const liquid = (
  formants: Formants,
  own: Formants,
  durationMs: number,
  voicingDb: number,
  transitionMs: number,
): Sonorant => ({ type: 'liquid', formants, own, durationMs, voicingDb, transitionMs });
const nasal = (
  formants: Formants,
  own: Formants,
  durationMs: number,
  murmur: [number, number],
  transitionMs: number,
): Sonorant => ({ type: 'nasal', formants, own, durationMs, voicingDb: 1, murmur, transitionMs });
const hiss = (
  formants: Formants,
  own: Formants,
  durationMs: number,
  spectrum: FrictionPlace,
  frictionDb: number,
  transitionMs: number,
): Fricative => ({ type: 'fricative', formants, own, durationMs, spectrum, frictionDb, transitionMs });
const buzz = (
  formants: Formants,
  own: Formants,
  durationMs: number,
  spectrum: FrictionPlace,
  frictionDb: number,
  voicingDb: number,
  muffled: number,
  transitionMs: number,
): Fricative => ({
  type: 'fricative',
  formants,
  own,
  durationMs,
  spectrum,
  frictionDb,
  voicingDb,
  muffled,
  transitionMs,
});
const stop = (
  formants: Formants,
  own: Formants,
  [closureMs, burstMs, aspirationMs]: [number, number, number],
  spectrum: FrictionPlace,
  frictionDb: number,
  aspirationDb: number,
  transitionMs: number,
  more: Partial<Stop> = {},
): Stop => ({
  type: 'stop',
  formants,
  own,
  closureMs,
  burstMs,
  aspirationMs,
  spectrum,
  frictionDb,
  aspirationDb,
  transitionMs,
  ...more,
});

// prettier-ignore
export const PHONEMES: Record<string, Phoneme> = {
  IY: vowel([300, 2230, 2950, 3500]),
  IH: vowel([410, 1950, 2580, 3450]),
  EH: vowel([560, 1780, 2500, 3450]),
  AE: vowel([690, 1660, 2450, 3450]),
  AA: vowel([755, 1200, 2520, 3400]),
  AO: vowel([635, 950, 2480, 3350]),
  UH: vowel([450, 1090, 2350, 3350]),
  UW: vowel([330, 980, 2300, 3300]),
  AH: vowel([630, 1230, 2520, 3400]),
  AX: vowel([510, 1420, 2500, 3400]),
  ER: vowel([480, 1320, 1720, 3250]),
  EY: vowel([500, 1850, 2560, 3450], [340, 2150, 2750, 3500]),
  AY: vowel([720, 1230, 2500, 3400], [400, 1980, 2620, 3450]),
  OW: vowel([465, 930, 2400, 3350], [350, 800, 2280, 3300]),
  AW: vowel([720, 1300, 2500, 3400], [430, 930, 2350, 3350]),
  OY: vowel([540, 900, 2450, 3350], [400, 1900, 2550, 3450]),
  L: liquid([350, 1080, 2850, 3500], [0.9, 0.75, 0.9, 0.5], 72, 0, 42),
  LL: liquid([440, 830, 2750, 3450], [0.75, 0.85, 0.9, 0.5], 85, -1, 75),
  R: liquid([350, 1130, 1580, 3050], [0.9, 0.8, 0.95, 0.6], 78, 0, 62),
  RR: liquid([470, 1280, 1660, 3100], [0.8, 0.7, 0.95, 0.6], 95, -1.5, 95),
  W: liquid([300, 640, 2250, 3250], [0.95, 0.9, 0.7, 0.5], 72, -1, 62),
  Y: liquid([270, 2280, 3000, 3550], [0.95, 0.9, 0.8, 0.5], 62, -1, 60),
  M: nasal([460, 1050, 2200, 3300], [1, 0.55, 0.6, 0.5], 78, [1000, 1350], 24),
  N: nasal([460, 1520, 2500, 3400], [1, 0.65, 0.6, 0.5], 70, [1650, 1250], 26),
  NG: nasal([460, 1900, 2350, 3350], [1, 0.5, 0.6, 0.5], 85, [2800, 1150], 34),
  V: buzz([280, 1080, 2250, 3350], [0.9, 0.35, 0.4, 0.4], 62, 'f', -36, -3.5, 0.25, 34),
  DH: buzz([290, 1350, 2500, 3400], [0.9, 0.5, 0.4, 0.4], 48, 'th', -40, -3, 0.2, 30),
  Z: buzz([280, 1650, 2600, 3500], [0.9, 0.7, 0.6, 0.4], 82, 's', -20, -9, 0.3, 30),
  ZH: buzz([280, 1750, 2450, 3450], [0.9, 0.7, 0.6, 0.4], 80, 'sh', -18, -9, 0.3, 34),
  F: hiss([320, 1080, 2250, 3350], [0.8, 0.35, 0.4, 0.4], 92, 'f', -25, 34),
  TH: hiss([320, 1350, 2550, 3400], [0.8, 0.5, 0.4, 0.4], 88, 'th', -27, 34),
  S: hiss([320, 1680, 2600, 3500], [0.8, 0.7, 0.6, 0.4], 112, 's', -13.5, 32),
  SH: hiss([320, 1780, 2450, 3450], [0.8, 0.7, 0.6, 0.4], 112, 'sh', -8.5, 38),
  HH: { type: 'aspirate', durationMs: 62, aspirationDb: -9 },
  P: stop([300, 950, 2200, 3300], [0.9, 0.4, 0.4, 0.4], [62, 7, 34], 'p', -21, -14, 22),
  T: stop([300, 1720, 2650, 3500], [0.9, 0.7, 0.6, 0.4], [56, 10, 40], 't', -13, -13, 24),
  K: stop([300, 1850, 2250, 3400], [0.9, 0.35, 0.6, 0.4], [54, 14, 44], 'k', -14, -12, 32, { velar: true }),
  B: stop([250, 900, 2150, 3300], [0.95, 0.4, 0.4, 0.4], [56, 5, 4], 'p', -25, -26, 22, { voiceBarDb: -13 }),
  D: stop([250, 1720, 2600, 3500], [0.95, 0.7, 0.6, 0.4], [50, 7, 6], 't', -19, -24, 24, { voiceBarDb: -13 }),
  G: stop([250, 1850, 2250, 3400], [0.95, 0.35, 0.6, 0.4], [52, 10, 8], 'k', -19, -22, 34, { voiceBarDb: -14, velar: true }),
  CH: stop([300, 1780, 2450, 3450], [0.9, 0.7, 0.6, 0.4], [52, 62, 14], 'sh', -13, -18, 34),
  JH: stop([260, 1780, 2450, 3450], [0.9, 0.7, 0.6, 0.4], [48, 40, 4], 'sh', -18, -26, 34, { voiceBarDb: -14 }),
};

/** Phones that go on as voice through the middle of the mouth or the nose. */
export const isSonorant = (name: string): boolean => ['liquid', 'nasal'].includes(PHONEMES[name].type);
export const isVowel = (name: string): boolean => PHONEMES[name].type === 'vowel';
/** Phones during which the vocal folds do not sound. */
export const isVoiceless = (name: string): boolean => {
  const p = PHONEMES[name];
  return (
    p.type === 'aspirate' ||
    (p.type === 'fricative' && p.voicingDb === undefined) ||
    (p.type === 'stop' && p.voiceBarDb === undefined)
  );
};
/** Full length of a phone at a middle tempo, ms. */
export const lengthMs = (name: string): number => {
  const p = PHONEMES[name];
  return p.type === 'stop' ? p.closureMs + p.burstMs + p.aspirationMs : p.type === 'vowel' ? 0 : p.durationMs;
};

/** A singer: size of the tract and habits of the larynx. */
export interface Voice {
  /** Scale of F1-F3 and of the upper formants against an adult man's. */
  tract: number;
  upper: number;
  /** Glottal shape at a middle loudness (Rd): low is pressed, high is soft. */
  rd: number;
  breathDb: number;
  /** Lift of everything above 5 kHz, dB. */
  airDb: number;
  jitter: number;
  shimmer: number;
  /** Strength of the singer's formant, 0..1. */
  ring: number;
  vibratoHz: number;
  wanderCents: number;
  middlePitch: number;
}

// prettier-ignore
export const VOICES: Record<string, Voice> = {
  tenor: { tract: 1, upper: 1, rd: 0.98, breathDb: -25, airDb: 9, jitter: 0.0028, shimmer: 0.02, ring: 0.6, vibratoHz: 5.5, wanderCents: 7, middlePitch: 58 },
  secondTenor: { tract: 0.985, upper: 0.99, rd: 1.1, breathDb: -23, airDb: 9, jitter: 0.003, shimmer: 0.024, ring: 0.45, vibratoHz: 5.2, wanderCents: 8, middlePitch: 58 },
  alto: { tract: 1.13, upper: 1.1, rd: 1.2, breathDb: -22, airDb: 6, jitter: 0.0024, shimmer: 0.018, ring: 0.1, vibratoHz: 5.7, wanderCents: 6, middlePitch: 65 },
  bass: { tract: 0.93, upper: 0.96, rd: 0.9, breathDb: -27, airDb: 9, jitter: 0.0032, shimmer: 0.024, ring: 0.5, vibratoHz: 5.1, wanderCents: 7, middlePitch: 50 },
  soprano: { tract: 1.18, upper: 1.13, rd: 1.25, breathDb: -22, airDb: 6, jitter: 0.0022, shimmer: 0.016, ring: 0.1, vibratoHz: 5.8, wanderCents: 6, middlePitch: 70 },
};
