import type { Hertz, Midi, Seconds, Span } from '../units';
import { HOP } from './evidence';
import type { Found } from './found';
import { evidenceOf, withoutKeyboard, type Evidence } from './keyboard';
import { echoes, inLines, likeliestLine, strongest, voicesIn, type Compasses } from './lines';
import { bySemitone, isSaid, normalised, notesIn, samePlace } from './notes';

/** The notes of a recorded chord, and whose they are. */

export interface UnpickedNote extends Span<Seconds> {
  midi: Midi;
  /** How strong its evidence is beside the strongest, 0..1. */
  strength: number;
  /** Which line it belongs to, the highest is 0. */
  line: number;
}

/** A note that may be sung: what is taken, what is played rather, what is too weak beside the others. */
export interface Candidate extends UnpickedNote {
  is: 'taken' | 'played' | 'weak';
}

export interface UnpickOptions {
  /** How many sing, at most; absent: as many as are heard. */
  voices?: number;
  /** Between which pitches each of them sings, the highest voice first; null: not said. They say how many sing, too. */
  compasses?: Compasses;
}

/** @returns null when it was stopped */
export function unpick(
  x: Float32Array,
  sampleRate: Hertz,
  options: UnpickOptions = {},
  progress?: (share: number) => boolean,
): UnpickedNote[] | null {
  const evidence = evidenceOf(x, sampleRate, progress);
  return evidence && unpickedNotes(evidence, options);
}

/** Notes from evidence: found again at once when it is said who sings. */
export const unpickedNotes = (evidence: Evidence, options: UnpickOptions = {}): UnpickedNote[] =>
  unpickedCandidates(evidence, options).flatMap(({ is, ...note }) => (is === 'taken' ? [note] : []));

/** Every note that may be there, the taken ones too, in order. */
export function unpickedCandidates(evidence: Evidence, options: UnpickOptions = {}): Candidate[] {
  const rows = bySemitone(evidence, options.compasses);
  let found = notesIn(evidence, rows);
  let sung = withoutKeyboard(evidence, found);
  if (sung.length < found.length) {
    // voices under a keyboard are as strong as voices: what is loud is told anew without what is played
    const played = found.filter(n => !sung.includes(n));
    found = [...played, ...notesIn(evidence, normalised(rows, played)).filter(n => !played.some(o => samePlace(n, o)))];
    sung = withoutKeyboard(evidence, found);
  }
  // and what stood still altogether may be taken by hand
  const all = evidence.withKeyboard?.notes ?? [];
  found.push(...all.filter(n => isSaid(n.midi, options.compasses) && !found.some(o => samePlace(n, o))));
  const voices = options.compasses?.length ?? options.voices ?? voicesIn(sung);
  const taken = strongest(sung, voices);
  const lines = inLines(taken, voices, options.compasses);
  const out = (n: Found, is: Candidate['is'], line: number): Candidate => ({
    start: n.from * HOP,
    end: n.to * HOP,
    midi: n.midi,
    strength: Math.min(1, n.strength),
    line,
    is,
  });
  const rest = found.filter(n => !taken.includes(n) && !taken.some(o => echoes(n, o)));
  const known = [...taken, ...rest];
  const places = [...lines, ...rest.map(() => -1)];
  return known
    .map((n, i) =>
      i < taken.length
        ? out(n, 'taken', lines[i])
        : out(n, sung.includes(n) ? 'weak' : 'played', likeliestLine(known, places, i, voices, options.compasses).line),
    )
    .sort((a, b) => a.start - b.start || b.midi - a.midi);
}
