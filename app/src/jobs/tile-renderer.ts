import {
  changedSpans,
  editedSpans,
  floatsOf,
  layOut,
  renderSpan,
  type Layout,
  type SampleSpan,
  type VoiceAnalysis,
  type VoicePlan,
} from '@essim/core';
import { isLate, MARGIN, placeOf, slotOf, TILE, type TileWriter } from '../player/tiles';
import { urgencies, type HeardAt } from '../player/urgency';

/** Where the song plays, read afresh each time. */
export interface Playhead {
  position(): number;
  loop(): { from: number; to: number } | null;
}

/** What is left to render: more at once, more as soon as memory left a moment ago is free, nothing for where the song plays now. */
export type Left = 'more' | 'soon' | 'nothing';

/** Renders a take's plan into its tiles, the most urgent first; plans may follow each other at any time. */
export class TileRenderer {
  private layout: Layout | null = null;
  private analysis: VoiceAnalysis | null = null;
  private heard: readonly HeardAt[] = [];
  /** What of a late tile's kept rendering is no longer right; no entry: all of it. */
  private readonly dirty = new Map<number, SampleSpan>();
  /** Powers as sung and edited of the tiles that are rendered. */
  private readonly powers = new Map<number, [number, number]>();

  constructor(
    private readonly tiles: TileWriter,
    private readonly playhead: Playhead,
  ) {}

  /** The newest plan laid out. */
  get latest(): Layout | null {
    return this.layout;
  }

  /** Gives back the sound of runs, which can be made again. */
  rest(): void {
    this.layout?.sounds.clear();
  }

  /** Where in the song the take is heard. */
  setHeard(heard: readonly HeardAt[]): void {
    this.heard = heard;
  }

  /** Takes a plan; returns at once. What differs from the last one is late until work() has rendered it. */
  plan(analysis: VoiceAnalysis, plan: VoicePlan): void {
    const before = this.layout;
    const after = layOut(analysis, plan, before);
    const { tiles } = this;
    for (const span of changedSpans(before, after)) this.spoil(span);
    const edited = new Uint8Array(tiles.count);
    for (const [from, to] of editedSpans(after))
      edited.fill(1, Math.max(0, Math.floor((from - MARGIN) / TILE)), Math.ceil(to / TILE));
    this.layout = after;
    this.analysis = analysis;
    for (let k = 0; k < tiles.count; k++)
      if (!edited[k]) {
        tiles.asSung(k);
        this.dirty.delete(k);
        this.powers.delete(k);
      } else if (slotOf(tiles.state(k)) < 0) tiles.markLate(k);
    this.matchLevels();
  }

  private spoil([from, to]: SampleSpan): void {
    const last = Math.min(this.tiles.count - 1, Math.floor((to - 1) / TILE));
    for (let k = Math.max(0, Math.floor((from - MARGIN) / TILE)); k <= last; k++) {
      const was = this.dirty.get(k);
      if (was) this.dirty.set(k, [Math.min(was[0], from), Math.max(was[1], to)]);
      else if (!isLate(this.tiles.state(k))) this.dirty.set(k, [from, to]);
      this.tiles.markLate(k);
    }
  }

  /** Renders the most urgent late tile. */
  work(): Left {
    const { tiles } = this;
    if (!this.layout) return 'nothing';
    const wait = urgencies(tiles.count, this.heard, this.playhead.position(), this.playhead.loop());
    let next = -1;
    let farthest = -1;
    for (let k = 0; k < tiles.count; k++) {
      const state = tiles.state(k);
      if (isLate(state) && (next < 0 || wait[k] < wait[next])) next = k;
      if (slotOf(state) >= 0 && (farthest < 0 || wait[k] > wait[farthest])) farthest = k;
    }
    if (next < 0) return 'nothing';
    if (slotOf(tiles.state(next)) < 0 && !tiles.room) {
      // what is needed last makes room for what is needed sooner
      if (wait[farthest] <= wait[next] + TILE) return 'nothing';
      tiles.evict(farthest);
      this.dirty.delete(farthest);
    }
    const slot = tiles.take();
    if (slot === null) return 'soon';
    this.render(next, slot);
    tiles.publish(next, slot);
    this.dirty.delete(next);
    this.matchLevels();
    return 'more';
  }

  /**
   * What is rendered already of a layout: a function that copies a tile's samples into arrays of one channel each, or says that they are
   * not there.
   */
  rendered(layout: Layout): (tile: number, out: Float32Array[]) => boolean {
    const same = this.layout !== null && changedSpans(this.layout, layout).length === 0;
    return (tile, out) => {
      const state = tile < this.tiles.count ? this.tiles.state(tile) : 0;
      if (!same || isLate(state) || slotOf(state) < 0) return false;
      const place = placeOf(slotOf(state));
      out.forEach((o, c) => o.set(this.tiles.memory.pool[c].subarray(place, place + o.length)));
      return true;
    };
  }

  private render(tile: number, slot: number): void {
    const { pool } = this.tiles.memory;
    const [layout, analysis] = [this.layout!, this.analysis!];
    const start = tile * TILE;
    const end = start + TILE + MARGIN;
    const place = placeOf(slot);
    const kept = slotOf(this.tiles.state(tile));
    const span = kept >= 0 ? this.dirty.get(tile) : undefined;
    const from = span ? Math.max(start, span[0]) : start;
    const to = span ? Math.min(end, span[1]) : end;
    let sung = 0;
    let edited = 0;
    pool.forEach((samples, c) => {
      if (span) samples.copyWithin(place, placeOf(kept), placeOf(kept) + TILE + MARGIN);
      if (to > from)
        renderSpan(analysis, layout, c, from, to, samples.subarray(place + from - start, place + to - start));
      const source = floatsOf(analysis.channels[c], start, Math.max(start, Math.min(start + TILE, analysis.length)));
      for (let i = 0; i < source.length; i++) {
        sung += source[i] ** 2;
        edited += samples[place + i] ** 2;
      }
    });
    this.powers.set(tile, [sung, edited]);
  }

  /** As sung and edited are compared at one loudness, taken over everything that is edited and rendered. */
  private matchLevels(): void {
    let sung = 1e-9;
    let edited = 1e-9;
    for (const [s, e] of this.powers.values()) {
      sung += s;
      edited += e;
    }
    const match = Math.sqrt(edited / sung);
    // a difference nobody hears is left alone, so that as sung stays bit for bit
    const heard = Math.abs(20 * Math.log10(match)) > 0.1;
    this.tiles.memory.match[0] = heard ? Math.min(4, Math.max(0.25, match)) : 1;
  }
}
