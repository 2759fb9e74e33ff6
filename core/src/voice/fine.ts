import { BYTES, placesFor } from '../signal/single';
import { SINC8, SINC_TAPS, sincPhase } from '../signal/sinc';
import { centsToRatio } from '../units';
import type { PitchedSegment } from './epochs';
import { roomOf, type PulseRoom } from './pulse-room';
import type { Layers } from './separate';

/**
 * Pulses made anew: each period's harmonics moved along the period's own spectral envelope. Two periods under a Hann window folded onto
 * one give the harmonics; their logarithms are carried on over frequency, the phase is the minimum phase they imply plus what the
 * recording has beyond it. Two neighbouring periods go through each transform together, one in the real and one in the imaginary part.
 * (Harmonic plus noise: Stylianou 2001; minimum phase from the real cepstrum: Oppenheim and Schafer 1975.)
 */

/** One pulse, ready to be added. */
interface PulseShape {
  /** Its samples, and where they lie. */
  out: Float32Array;
  at: number;
  /** Index of its centre. */
  centre: number;
  /** Where it sounds. */
  low: number;
  high: number;
  length: number;
  /** Power of the period's harmonics, and of those it will have at its new pitch. */
  powerIn: number;
  powerOut: number;
  segment: PitchedSegment | null;
  epoch: number;
}

const RING = 128;
/** Ends of a pulse that are faded, samples. */
const FADE_IN = 64;
const FADE_OUT = 192;
/** Loudness is compared up to here, share of the rate. */
const COMPARED = 0.25;

/** Length of the transform that holds a pulse of a period of so many samples: a power of two. A quarter of it lies before its place. */
export function pulseLength(period: number): number {
  let n = 512;
  while (n < (n === 512 ? 3.4 : 2.25) * period) n *= 2;
  return n;
}

/** Samples to which pulses are added at a time. */
export const MOST_AT_ONCE = 4096;

/** Room for the pulses that are kept, each up to a length, and for what they add up to. */
function storeFor(length: number) {
  const places = placesFor({ ring: RING * length, sum: MOST_AT_ONCE, taps: SINC_TAPS });
  const slots = Array.from({ length: RING }, (_, i) => ({
    at: places.ring.at + i * length * BYTES,
    out: places.ring.values.subarray(i * length, (i + 1) * length),
  }));
  return { ...places, length, slots };
}

const emptyShape = (): PulseShape => ({
  out: new Float32Array(0),
  at: 0,
  centre: 0,
  low: 0,
  high: 0,
  length: 0,
  powerIn: 0,
  powerOut: 0,
  segment: null,
  epoch: -1,
});

/** How a pulse is wanted: pitch and formants in cents from as sung. */
export interface PulseWish {
  offset(t: number): number;
  formant(t: number): number;
}

/**
 * Makes pulses of one channel and keeps the last ones. What it makes depends on the layers, the segment's epochs and the wish alone,
 * never on what was asked before. No allocation once it has warmed up.
 */
export class PulseMaker {
  private readonly ring = Array.from({ length: RING }, emptyShape);
  private next = 0;
  private wish: PulseWish | null = null;
  private segment: PitchedSegment | null = null;
  private layers: Layers | null = null;
  private where = new Int32Array(0);
  private store: ReturnType<typeof storeFor> | null = null;
  private from = 0;
  private to = 0;
  /** Samples of the sum; 0 before anything is added to it. */
  private sum = 0;

  constructor(private readonly sampleRate: number) {}

  /** Sets what pulses are made of; must come before add() and powers(). What was kept for another wish or segment is forgotten. */
  use(segment: PitchedSegment, layers: Layers, wish: PulseWish): void {
    if (this.segment === segment && this.layers === layers && this.wish === wish) return;
    for (const slot of this.ring) slot.segment = null;
    this.segment = segment;
    this.layers = layers;
    this.wish = wish;
    const m = segment.epochs.length;
    if (this.where.length < m) this.where = new Int32Array(Math.ceil(1.5 * m));
    this.where.fill(-1, 0, m);
  }

  /** Forgets what was made, for the wish has changed in itself. */
  forget(): void {
    this.segment = null;
  }

  /** Power of a period's harmonics, and of those it will have at its new pitch. */
  powers(epoch: number): { powerIn: number; powerOut: number } {
    return this.pulse(epoch);
  }

  /** Begins a sum of pulses over output samples [from, to), at most MOST_AT_ONCE of them. */
  begin(from: number, to: number): void {
    this.from = from;
    this.to = to;
    this.sum = 0;
  }

  /** Adds the pulse of an epoch with its centre at a fractional output place. */
  add(epoch: number, at: number, gain: number): void {
    const { from, to } = this;
    const { at: place, centre, low, high, length } = this.pulse(epoch);
    const shift = centre - at;
    const whole = Math.floor(shift);
    const o = whole - SINC_TAPS / 2 + 1;
    const a = Math.max(from, Math.ceil(at - centre + low - 4), -o);
    const b = Math.min(to - 1, Math.floor(at - centre + high + 4), length - SINC_TAPS - o);
    if (b < a) return;
    const { run, taps, sum } = this.store!;
    if (!this.sum) sum.values.fill(0, 0, to - from);
    this.sum = to - from;
    const phase = sincPhase(shift - whole);
    for (let k = 0; k < SINC_TAPS; k++) taps.values[k] = gain * SINC8[phase + k];
    run.added(place + (a + o) * BYTES, taps.at, b - a + 1, sum.at + (a - from) * BYTES);
  }

  /** Adds the sum to out. */
  end(out: Float32Array): void {
    const { sum } = this;
    if (!sum) return;
    const { values } = this.store!.sum;
    for (let i = 0; i < sum; i++) out[i] += values[i];
  }

  private pulse(epoch: number): PulseShape {
    const have = this.where[epoch];
    if (have >= 0) return this.ring[have];
    this.make(epoch & ~1);
    return this.ring[this.where[epoch]];
  }

  /** Has the store hold pulses of a length; what is there is lost where it has to grow. */
  private hold(length: number): void {
    if (this.store && this.store.length >= length) return;
    const before = this.store;
    this.store = storeFor(length);
    if (before) this.store.sum.values.set(before.sum.values);
    this.ring.forEach((slot, i) => {
      if (slot.segment) this.where[slot.epoch] = -1;
      Object.assign(slot, this.store!.slots[i], { segment: null });
    });
  }

  private slot(epoch: number): PulseShape {
    this.next = (this.next + 1) % RING;
    const slot = this.ring[this.next];
    if (slot.segment) this.where[slot.epoch] = -1;
    slot.segment = this.segment;
    slot.epoch = epoch;
    this.where[epoch] = this.next;
    return slot;
  }

  /** Two neighbouring periods, or the last one alone. */
  private make(first: number): void {
    const { epochs, periods } = this.segment!;
    const layers = this.layers!;
    const wish = this.wish!;
    const last = Math.min(first + 1, epochs.length - 1);
    const formants: number[] = [];
    let longest = 0;
    for (let k = first; k <= last; k++) {
      longest = Math.max(longest, periods[k]);
      formants.push(centsToRatio(wish.formant(epochs[k])));
    }
    const width = longest * Math.max(1, 1 / Math.min(...formants));
    const room = roomOf(longest, pulseLength(width));
    this.hold(room.length);
    room.read(layers.pulses, epochs[first] - layers.from, periods[first], 0);
    room.read(layers.pulses, epochs[last] - layers.from, periods[last], 1);
    room.part(periods[first], periods[last]);
    const slots: PulseShape[] = [];
    for (let k = first; k <= last; k++) {
      const part = k === first ? 0 : 1;
      const slot = this.slot(k);
      const pitch = centsToRatio(wish.offset(epochs[k]));
      room.shape(part, periods[k], pitch, formants[part], this.sampleRate);
      slot.powerIn = room.powerIn(part, Math.floor(COMPARED * periods[k]));
      slot.powerOut = room.powerOut(part, periods[k], pitch);
      slots.push(slot);
    }
    if (last === first) room.silence(1);
    room.transform();
    slots.forEach((slot, part) => cut(slot, room, part as 0 | 1));
  }
}

/** Takes one of two pulses out of what was made, its ends faded, and notes where it sounds. */
function cut(slot: PulseShape, room: PulseRoom, part: 0 | 1): void {
  const { length, before: centre } = room;
  const { out } = slot;
  const quietest = 3e-4 * room.take(part, out);
  for (let k = 0; k < FADE_IN; k++) out[k] *= (k + 0.5) / FADE_IN;
  for (let k = length - FADE_OUT + 1; k < length; k++) out[k] *= (length - k - 0.5) / FADE_OUT;
  let low = 0;
  let high = length;
  while (low < centre && Math.abs(out[low]) < quietest) low++;
  while (high > centre && Math.abs(out[high - 1]) < quietest) high--;
  slot.centre = centre;
  slot.length = length;
  slot.low = low;
  slot.high = high;
}
