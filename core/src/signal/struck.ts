import { midiToHz, type Midi, type Seconds, type Span } from '../units';

/**
 * The sound of a struck string, for melodies that are to be heard beside a voice: partials that a stiff string has, each of two strings a
 * little apart, the higher ones softer and sooner over (after Fletcher and Rossing, The Physics of Musical Instruments, chapter 12).
 */

const MOST_PARTIALS = 24;
/** How much sharper partials are than whole multiples, in the middle of the compass; it grows upwards. */
const STIFFNESS = 0.0003;
/** How far the two strings of a note lie apart, cents. */
const STRINGS = 0.7;
/** A string is struck at this share of its length: partials with a node there are missing. */
const STRUCK_AT = 0.12;
const LONGEST: Seconds = 4;
const RELEASE: Seconds = 0.09;

/** @returns samples of one note left to ring, peaks near 1 */
export function struckString(midi: Midi, sampleRate: number, seconds: Seconds = LONGEST): Float32Array {
  const out = new Float32Array(Math.max(1, Math.round(seconds * sampleRate)));
  const f0 = midiToHz(midi);
  const stiffness = STIFFNESS * 2 ** ((midi - 60) / 9);
  /** Of the lowest partial, s. */
  const ringing = 3.2 * 2 ** ((60 - midi) / 16);
  for (let n = 1; n <= MOST_PARTIALS; n++) {
    const hz = n * f0 * Math.sqrt(1 + stiffness * n * n);
    if (hz > 0.45 * sampleRate) break;
    const strength = (Math.abs(Math.sin(Math.PI * n * STRUCK_AT)) / n) * Math.exp(-hz / 4200);
    if (strength < 1e-4) continue;
    const decay = Math.exp(-1 / (sampleRate * (ringing / (1 + 0.35 * (n - 1)))));
    for (const side of [-0.5, 0.5]) {
      const step = (2 * Math.PI * hz * 2 ** ((side * STRINGS) / 1200)) / sampleRate;
      // a rotation instead of a sine a sample
      const [cos, sin] = [Math.cos(step) * decay, Math.sin(step) * decay];
      let [x, y] = [1, 0];
      for (let i = 0; i < out.length; i++) {
        out[i] += strength * y;
        [x, y] = [x * cos - y * sin, x * sin + y * cos];
      }
    }
  }
  // the hammer takes a moment to leave the string
  const attack = Math.min(out.length, Math.round(0.004 * sampleRate));
  for (let i = 0; i < attack; i++) out[i] *= i / attack;
  let peak = 1e-9;
  for (const v of out) peak = Math.max(peak, Math.abs(v));
  for (let i = 0; i < out.length; i++) out[i] /= peak;
  return out;
}

/** Notes played as by one who plays a melody on a piano. @returns samples from 0 s on, peaks under 1 */
export function playedMelody(
  notes: readonly (Span & { midi: Midi })[],
  sampleRate: number,
  length: number,
  level = 0.35,
): Float32Array {
  const out = new Float32Array(length);
  const strings = new Map<Midi, Float32Array>();
  const release = Math.round(RELEASE * sampleRate);
  for (const { start, end, midi } of notes) {
    let string = strings.get(midi);
    if (!string) strings.set(midi, (string = struckString(midi, sampleRate)));
    const from = Math.round(start * sampleRate);
    const held = Math.min(string.length, Math.round((end - start) * sampleRate));
    for (let i = Math.max(0, -from); i < Math.min(string.length, held + release) && from + i < length; i++) {
      const damped = i < held ? 1 : 1 - (i - held) / release;
      out[from + i] += level * damped * string[i];
    }
  }
  return out;
}
