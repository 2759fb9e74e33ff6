import type { Reading } from '../read';
import { hzToCents, lastAtMost, type Cents } from '../units';
import { chainsOf, JOIN_REACH, splitNotes, type FrameSpan, type NoteMovement } from './movement';

/** A reading made ready for editing: the sung line in cents and each note's movement. Made once a reading. */
export interface SplitTake {
  reading: Reading;
  /** Cents per frame; the last sung value goes on where nothing is sung. */
  sung: Float64Array;
  /** 1 where voiced, 0 elsewhere. */
  voiced: Uint8Array;
  /** What was read as notes, frames. */
  frames: FrameSpan[];
  notes: NoteMovement[];
}

const linesKnown = new WeakMap<Float32Array, Pick<SplitTake, 'sung' | 'voiced'>>();

/** The sung line of a reading and where it is voiced; the same for the same line. */
export function sungLines({ f0 }: Pick<Reading, 'f0'>): Pick<SplitTake, 'sung' | 'voiced'> {
  let known = linesKnown.get(f0);
  if (!known) {
    const sung = new Float64Array(f0.length);
    const voiced = new Uint8Array(f0.length);
    let held: Cents = 0;
    for (let k = 0; k < f0.length; k++) {
      if (f0[k] > 0) {
        held = hzToCents(f0[k]);
        voiced[k] = 1;
      }
      sung[k] = held;
    }
    linesKnown.set(f0, (known = { sung, voiced }));
  }
  return known;
}

/**
 * Splits every note of a reading.
 * @param before the same by an older reading of the take: notes that hang together and are the same in it are taken over
 * Cost: about 1/100 of real time; after a change, of the length that changed.
 */
export function splitTake(reading: Reading, before?: SplitTake): SplitTake {
  const { f0, hop } = reading;
  const { sung, voiced } = sungLines(reading);
  const frames = reading.notes.map(n => ({
    start: Math.round(n.start / hop),
    end: Math.min(f0.length, Math.round(n.end / hop)),
  }));
  const notes: NoteMovement[] = [];
  for (const [from, to] of chainsOf(voiced, frames)) {
    const chain = frames.slice(from, to);
    notes.push(...((before && keptChain(before, sung, voiced, chain)) ?? splitNotes(sung, voiced, chain)));
  }
  return { reading, sung, voiced, frames, notes };
}

/** The movements of a chain of joined notes as they were, when nothing in it changed. */
function keptChain(
  before: SplitTake,
  sung: Float64Array,
  voiced: Uint8Array,
  chain: FrameSpan[],
): NoteMovement[] | null {
  const { frames, notes } = before;
  const i = lastAtMost(frames, chain[0].start, f => f.start);
  const same = (f: FrameSpan, j: number) => frames[i + j]?.start === f.start && frames[i + j].end === f.end;
  if (i < 0 || !chain.every(same)) return null;
  const kept = notes.slice(i, i + chain.length);
  if (kept[0].joinedIn || kept[kept.length - 1].joinedOut) return null;
  const end = Math.min(sung.length, before.sung.length, chain[chain.length - 1].end + JOIN_REACH);
  for (let k = Math.max(0, chain[0].start - JOIN_REACH); k < end; k++)
    if (voiced[k] !== before.voiced[k] || (voiced[k] && sung[k] !== before.sung[k])) return null;
  return kept;
}
