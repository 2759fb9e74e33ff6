import { TILE } from './tiles';

/** Where a take is heard: source sample s sounds at song sample s + offset, for song samples [from, to). */
export interface HeardAt {
  offset: number;
  from: number;
  to: number;
}

/** Tiles just behind the playhead are wanted before those far ahead: a user goes back a little more often than far on. Samples. */
const BEHIND_COSTS = 4;
const NEVER = 1e12;

/**
 * How soon each tile of a take is needed, in samples of playing from a place; tiles behind count as if they were four times as far
 * ahead, and what is heard nowhere comes last.
 * @param loop song samples played round and round; null when there is none
 */
export function urgencies(
  tiles: number,
  heard: readonly HeardAt[],
  position: number,
  loop: { from: number; to: number } | null,
): Float64Array {
  const out = new Float64Array(tiles).fill(NEVER);
  for (const h of heard) {
    const first = Math.max(0, Math.floor((Math.max(h.from, h.offset) - h.offset) / TILE));
    const last = Math.min(tiles - 1, Math.floor((h.to - 1 - h.offset) / TILE));
    for (let k = first; k <= last; k++) {
      const start = Math.max(h.from, k * TILE + h.offset);
      const end = Math.min(h.to, (k + 1) * TILE + h.offset);
      let wait = position >= end ? (position - end) * BEHIND_COSTS : Math.max(0, start - position);
      // in a loop what lies before the playhead comes again after its end
      if (loop && position < loop.to && end > loop.from && position >= end)
        wait = Math.min(wait, loop.to - position + Math.max(0, start - loop.from));
      out[k] = Math.min(out[k], wait);
    }
  }
  for (let k = 0; k < tiles; k++) if (out[k] === NEVER) out[k] = NEVER + k;
  return out;
}
