/** Units of the whole program. Aliases, so that a signature says what a number means; names of values carry the unit too. */

/** Time in seconds. */
export type Seconds = number;
/** Frequency in hertz. */
export type Hertz = number;
/** Pitch as a MIDI number with a fraction: 69 = A4 = 440 Hz. */
export type Midi = number;
/** A musical interval in semitones. */
export type Semitones = number;
/** A musical interval or pitch in cents; absolute pitches count from MIDI 0, so A4 = 6900. */
export type Cents = number;
/** Level in decibels. */
export type Decibels = number;

/** @example hzToMidi(440) // 69 */
export const hzToMidi = (hz: Hertz): Midi => 69 + 12 * Math.log2(hz / 440);
/** @example midiToHz(69) // 440 */
export const midiToHz = (midi: Midi): Hertz => 440 * 2 ** ((midi - 69) / 12);
export const hzToCents = (hz: Hertz): Cents => 6900 + 1200 * Math.log2(hz / 440);
export const centsToHz = (cents: Cents): Hertz => 440 * 2 ** ((cents - 6900) / 1200);
/** A pitch ratio from an interval. @example centsToRatio(1200) // 2 */
export const centsToRatio = (cents: Cents): number => 2 ** (cents / 1200);
/** Amplitude ratio from decibels. @example dbToGain(-6) // about 0.5 */
export const dbToGain = (db: Decibels): number => 10 ** (db / 20);
/** Decibels from an amplitude ratio; never below -240. */
export const gainToDb = (gain: number): Decibels => 20 * Math.log10(Math.max(1e-12, gain));

export const clamp = (x: number, low: number, high: number): number => (x < low ? low : x > high ? high : x);
/** Smooth step from 0 to 1 with level ends: 3x^2 - 2x^3. */
export const smoothStep = (x: number): number => (x <= 0 ? 0 : x >= 1 ? 1 : x * x * (3 - 2 * x));
export * from './spans';
