import type { Seconds } from '../units';

/** A stretch sung in one breath, source time. */
export interface Phrase {
  start: Seconds;
  end: Seconds;
  /** Index of its first note, and of the one after its last. */
  firstNote: number;
  endNote: number;
}

const REST: Seconds = 0.28;
const SHORTEST: Seconds = 0.6;

/** Phrases from the rests between notes; scraps shorter than 0.6 s join a near neighbour. */
export function findPhrases(notes: readonly { start: Seconds; end: Seconds }[]): Phrase[] {
  const out: Phrase[] = [];
  notes.forEach((n, i) => {
    const last = out[out.length - 1];
    if (last && n.start - last.end < REST) {
      last.end = n.end;
      last.endNote = i + 1;
    } else out.push({ start: n.start, end: n.end, firstNote: i, endNote: i + 1 });
  });
  for (let i = 0; i < out.length;) {
    const p = out[i];
    const gapBefore = i ? p.start - out[i - 1].end : Infinity;
    const gapAfter = i + 1 < out.length ? out[i + 1].start - p.end : Infinity;
    if (p.end - p.start >= SHORTEST || Math.min(gapBefore, gapAfter) > 1.2) {
      i++;
      continue;
    }
    const into = gapBefore <= gapAfter ? i - 1 : i;
    out.splice(into, 2, { ...out[into], end: out[into + 1].end, endNote: out[into + 1].endNote });
    i = Math.max(0, into);
  }
  return out;
}
