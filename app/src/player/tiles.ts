/**
 * What the edits make of a take, in pieces rendered ahead by the take's worker and read by the audio thread, both in shared memory: no
 * message passes between them, so nothing the page does can hold the sound up.
 */

/** Samples a tile: about .7 s. */
export const TILE = 32768;
/** Samples a tile is rendered beyond its end, so that its sound can die away when what follows is not what was rendered with it. */
export const MARGIN = 1024;
/** Most tiles kept of a take at a time; the ones farthest from the playhead are made again when it comes near. */
const MOST_KEPT = 32;
/** Slots beyond those: what is kept is rendered anew into another slot, and the one it leaves rests for a while. */
const RESERVE = 6;

const LATE = 1;
const NONE = -1;

/** Everything of a take's tiles that is shared; made once, posted to whoever needs it. */
export interface TileMemory {
  /** One number a tile: (slot + 1) * 2, plus 1 while the rendering kept there is not of the newest plan; slot -1 is the take as sung. */
  table: Int32Array;
  /** Samples of every slot, per channel. */
  pool: Float32Array[];
  /** What the take as sung must be multiplied by to be as loud as edited. */
  match: Float32Array;
}

const sharedFloats = (n: number) => new Float32Array(new SharedArrayBuffer(4 * n));

/** @param length samples a channel */
export function tileMemory(length: number, channels: number): TileMemory {
  const tiles = Math.ceil(length / TILE);
  const slots = Math.min(tiles, MOST_KEPT) + RESERVE;
  const match = sharedFloats(1);
  match[0] = 1;
  return {
    table: new Int32Array(new SharedArrayBuffer(4 * Math.max(1, tiles))),
    // memory of slots nobody writes to is never really taken
    pool: Array.from({ length: channels }, () => sharedFloats(slots * (TILE + MARGIN))),
    match,
  };
}

/** Slot of a tile's state: where its rendering lies, -1 for none. */
export const slotOf = (state: number): number => (state >> 1) - 1;
export const isLate = (state: number): boolean => (state & LATE) === LATE;
/** Place of a slot's first sample in the pool. */
export const placeOf = (slot: number): number => slot * (TILE + MARGIN);

/** The writing end. One writer a take. */
export class TileWriter {
  private readonly free: number[];
  /** Slots the audio thread may still be fading out of, with when they were left, ms. */
  private retired: { slot: number; at: number }[] = [];

  constructor(
    readonly memory: TileMemory,
    private readonly now: () => number = () => performance.now(),
  ) {
    const slots = memory.pool[0].length / (TILE + MARGIN);
    this.free = Array.from({ length: slots }, (_, i) => slots - 1 - i);
  }

  get count(): number {
    return this.memory.table.length;
  }
  state(tile: number): number {
    return Atomics.load(this.memory.table, tile);
  }
  private set(tile: number, slot: number, late: boolean): void {
    const before = slotOf(this.state(tile));
    Atomics.store(this.memory.table, tile, ((slot + 1) << 1) | (late ? LATE : 0));
    if (before !== NONE && before !== slot) this.retired.push({ slot: before, at: this.now() });
  }

  /** What was rendered is no longer what is asked. */
  markLate(tile: number): void {
    this.set(tile, slotOf(this.state(tile)), true);
  }
  /** Nothing is asked there: it sounds as sung. */
  asSung(tile: number): void {
    if (this.state(tile)) this.set(tile, NONE, false);
  }
  /** Gives a tile's memory up; it must be rendered again. */
  evict(tile: number): void {
    this.set(tile, NONE, true);
  }

  get anyLate(): boolean {
    for (let k = 0; k < this.count; k++) if (isLate(this.state(k))) return true;
    return false;
  }

  /** A slot to render into; null while none is free. */
  take(): number | null {
    const now = this.now();
    const [ready, waiting] = [[], []] as (typeof this.retired)[];
    for (const r of this.retired) (now - r.at > RETIRED_MS ? ready : waiting).push(r);
    this.retired = waiting;
    this.free.push(...ready.map(r => r.slot));
    return this.free.pop() ?? null;
  }

  /** Whether another tile can be kept; one that is kept already can always be rendered anew. */
  get room(): boolean {
    return this.free.length + this.retired.length > RESERVE;
  }

  /** Makes what was rendered into a slot the sound of a tile. */
  publish(tile: number, slot: number): void {
    this.set(tile, slot, false);
  }
}

/** A slot left is not written to again before every fade out of it is long over. */
const RETIRED_MS = 120;
