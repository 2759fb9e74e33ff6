import { smoothStep } from '../units';
import type { VoiceSource } from './analysis';
import type { PitchedSegment } from './epochs';
import { MOST_AT_ONCE, type PulseMaker } from './fine';
import { addBreath, addGrain } from './grains';
import type { PlanCurves } from './plan';
import type { Laid } from './pulses';
import type { TimeLine } from './timeline';

/** What is needed to make any run's sound. */
export interface Making {
  line: TimeLine;
  /** One a channel. */
  makers: PulseMaker[];
}

/** A voice that is made anew: from what, under what, and where its pulses are laid. */
export interface Voicing {
  source: VoiceSource;
  making: Making;
  curves: PlanCurves;
  segment: PitchedSegment;
  laid: Laid;
}

/** Epochs at which a live plan's loudness is looked at, out of those just sung. */
const LOUDNESS_PLACES = 10;
/** Neighbouring periods are mixed from the first ratio on, wholly from the second: below, mixing would clean the voice. */
const MIX_FROM = 1.45;
const MIX_FULLY = 1.75;
/** Up to this change a pulse is the recording's own grain, from the second on it is made anew, between them it goes over. Cents. */
const GRAIN_UP_TO = 50;
const ANEW_FROM = 150;
/** A live plan's loudness is taken over so many epochs before. */
const TRAILING = 12;
/** Untouched pulses taken along before and after a run, for their sound reaches into it. */
const PULSES_BEFORE = 4;
const PULSES_AFTER = 2;

/** How much of a pulse is made anew where the plan asks what it asks at a source sample; the rest is the recording's own grain. */
const newShare = (curves: PlanCurves, t: number): number =>
  smoothStep(
    (Math.max(Math.abs(curves.offset(t)), Math.abs(curves.formant(t))) - GRAIN_UP_TO) / (ANEW_FROM - GRAIN_UP_TO),
  );

/** Adds a run's pulses over [from, to); where the plan is not live they are as loud as they happen to be. */
export function addPulses(voicing: Voicing, channel: number, from: number, to: number, out: Float32Array): void {
  for (let a = from; a < to; a += MOST_AT_ONCE)
    addSome(voicing, channel, a, Math.min(to, a + MOST_AT_ONCE), out.subarray(a - from));
}

function addSome(voicing: Voicing, channel: number, from: number, to: number, out: Float32Array): void {
  const { segment, curves, making, laid } = voicing;
  const { epochs } = segment;
  const m = epochs.length;
  const layers = voicing.source.layersOf(segment, channel);
  const maker = making.makers[channel];
  maker.use(segment, layers, curves);
  maker.begin(from, to);
  const { at, source, epoch, count: n } = laid;

  const put = (place: number, t: number, near: number, gain: number, likeAt = t) => {
    const anew = newShare(curves, likeAt);
    const ratio = curves.ratio(t);
    // the epochs on either side, and how much of the later one
    let k = near;
    let later = 0;
    if (ratio > MIX_FROM && m > 1) {
      if (t < epochs[k] && k > 0) k--;
      if (k < m - 1) {
        const between = Math.min(1, Math.max(0, (t - epochs[k]) / (epochs[k + 1] - epochs[k])));
        const mixed = smoothStep((ratio - MIX_FROM) / (MIX_FULLY - MIX_FROM));
        later = mixed * between + (1 - mixed) * (between > 0.5 ? 1 : 0);
      }
    }
    for (let j = 0; j < 2; j++) {
      const share = j ? later : 1 - later;
      if (share < 0.02) continue;
      if (anew > 0) maker.add(k + j, place, gain * share * anew);
      if (anew < 1) addGrain(layers, segment, k + j, place, gain * share * (1 - anew), from, to, out);
    }
  };

  const { ahead, behind } = laid;
  let i = firstFrom(at, n, from - behind);
  // what lies before and after the run is heard in it; it is as sung
  if (i === 0)
    for (let q = PULSES_BEFORE; q > 0; q--) {
      const k = epoch[0] - q;
      if (k >= 0) put(at[0] + epochs[k] - epochs[epoch[0]], epochs[k], k, 1, source[0]);
    }
  for (; i < n && at[i] < to + ahead; i++) {
    const t = source[i];
    const gain = curves.plan.live ? measuredGain(voicing, Math.max(0, epoch[i] - TRAILING), epoch[i]) : 1;
    put(at[i], t, epoch[i], gain / Math.sqrt(curves.ratio(t)));
  }
  const last = epoch[n - 1];
  if (i === n && laid.v0 < Infinity)
    for (let q = 1; q <= PULSES_AFTER && last + q < m; q++)
      put(at[n - 1] + epochs[last + q] - epochs[last], epochs[last + q], last + q, 1, source[n - 1]);
  maker.end(out);
}

/** Adds a run's breath over [from, to). */
export function addRunBreath(
  { source, making, curves, segment }: Voicing,
  channel: number,
  from: number,
  to: number,
  out: Float32Array,
): void {
  addBreath(source.layersOf(segment, channel), source.sampleRate, curves, making.line, from, to, from, out);
}

/** Adds both. */
export function addVoice(voicing: Voicing, channel: number, from: number, to: number, out: Float32Array): void {
  addPulses(voicing, channel, from, to, out);
  addRunBreath(voicing, channel, from, to, out);
}

/** What makes the pulses about an epoch as loud as the voice they are made from: moved harmonics lie elsewhere on the formants. */
function measuredGain({ source, making, curves, segment }: Voicing, first: number, last: number): number {
  const { epochs } = segment;
  const n = last - first + 1;
  const places = Math.min(LOUDNESS_PLACES, (n >> 1) + 1);
  let before = 0;
  let after = 1e-20;
  let changed = false;
  for (let q = 0; q < places; q++) {
    const k = Math.min(last, first + Math.floor(((q + 0.5) * n) / places));
    changed ||= curves.offset(epochs[k]) !== 0 || curves.formant(epochs[k]) !== 0;
    making.makers.forEach((maker, c) => {
      maker.use(segment, source.layersOf(segment, c), curves);
      const { powerIn, powerOut } = maker.powers(k);
      before += powerIn;
      after += powerOut / curves.ratio(epochs[k]);
    });
  }
  return changed ? Math.min(8, Math.max(0.12, Math.sqrt(before / after))) : 1;
}

/** Index of the first place at or after a sample. */
export function firstFrom(at: Float64Array, count: number, u: number): number {
  let low = 0;
  let high = count;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (at[middle] < u) low = middle + 1;
    else high = middle;
  }
  return low;
}
