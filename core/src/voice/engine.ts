import { smoothStep } from '../units';
import type { VoiceAnalysis, VoiceSource } from './analysis';
import { sameFrame } from './change';
import { addPulse, PulseMaker } from './fine';
import { Ground } from './gaps';
import { addBreath, addGrain } from './grains';
import { finitePlan, PlanCurves, type VoicePlan } from './plan';
import type { PitchedSegment } from './epochs';
import { Run, type GrowingRun, type Laid } from './pulses';
import { reachAt, RunSound } from './run-sound';
import { TimeLine } from './timeline';
import { ColourFilter } from './tone';

/** Bumped whenever the same plan would sound different. */
export const VOICE_VERSION = 4;

/** A plan laid out over an analysis; spans of it can be rendered in any order. */
export interface Layout {
  plan: VoicePlan;
  curves: PlanCurves;
  line: TimeLine;
  rate: number;
  /** Output length in samples. */
  length: number;
  /** Pitched stretches made anew, in order. */
  runs: Run[];
  grounds: Ground[];
  makers: PulseMaker[];
  tone: ColourFilter | null;
  /** Of the runs rendered last. */
  sounds: Map<Run, RunSound>;
}

/** Epochs at which a live plan's loudness is looked at, out of those just sung. */
const LOUDNESS_PLACES = 10;
/** Neighbouring periods are mixed from the first ratio on, wholly from the second: below, mixing would clean the voice. */
const MIX_FROM = 1.45;
const MIX_FULLY = 1.75;
/** Up to this change a pulse is the recording's own grain, from the second on it is made anew, between them it goes over. Cents. */
const GRAIN_UP_TO = 50;
const ANEW_FROM = 150;
const TRAILING = 12;
/** Runs whose sound is kept. */
const SOUNDS_KEPT = 4;
/** Untouched pulses taken along before and after a run, for their sound reaches into it. */
const PULSES_BEFORE = 4;
const PULSES_AFTER = 2;

/** Lays a plan out. Next to nothing: pulses and pieces are laid when they are first rendered. @param before a layout of the same analysis, whose unchanged runs are taken over */
export function layOut(analysis: VoiceAnalysis, asked: VoicePlan, before?: Layout | null): Layout {
  const plan = finitePlan(asked);
  const { segments, sampleRate, f0, channels, length } = analysis;
  const curves = new PlanCurves(plan, sampleRate);
  const line = before && before.plan.time === plan.time ? before.line : TimeLine.of(plan.time, length, sampleRate);
  const step = plan.hop * sampleRate;
  const runs: Run[] = [];
  for (const s of segments) {
    const edited = (k: number) => curves.edited(k * step) || line.at(k * step).slope !== 1;
    for (let k = s.firstFrame; k < s.lastFrame; k++) {
      if (!edited(k)) continue;
      const first = k;
      while (k < s.lastFrame && edited(k)) k++;
      runs.push(new Run(s, curves, line, f0, sampleRate, first, k));
    }
  }
  const layout: Layout = {
    plan,
    curves,
    line,
    rate: sampleRate,
    length: line.length,
    runs,
    grounds: channels.map(c => new Ground(c, sampleRate, segments, line)),
    makers: before?.makers ?? channels.map(() => new PulseMaker(sampleRate)),
    tone: plan.tone ? new ColourFilter(sampleRate, plan.tone.bands) : null,
    sounds: new Map(),
  };
  if (before) takeOver(layout, before);
  return layout;
}

/** Keeps runs about which nothing changed. */
function takeOver(layout: Layout, before: Layout): void {
  const known = new Map(before.runs.map(r => [`${r.firstFrame} ${r.lastFrame}`, r]));
  layout.runs.forEach((run, i) => {
    const old = known.get(`${run.firstFrame} ${run.lastFrame}`);
    if (old?.segment === run.segment && sameRun(layout, before, run)) layout.runs[i] = old;
  });
}

/** Whether two plans ask the same of a stretch of frames and of what reaches into it. */
function sameRun(a: Layout, b: Layout, { segment }: Run): boolean {
  for (let k = segment.firstFrame; k < segment.lastFrame; k++) if (!sameFrame(a, b, k)) return false;
  const [p, q] = [a, b].map(l => l.curves.joinsBetween(segment.start, segment.end));
  return p.length === q.length && p.every((k, i) => k === q[i]);
}

/**
 * Renders output samples [from, to) of one channel into out. A pure function of (analysis, layout, span): any division into spans
 * gives the same samples. Outside runs the source is copied bit for bit.
 * @param out at least to - from samples; overwritten
 */
export function renderSpan(
  analysis: VoiceAnalysis,
  layout: Layout,
  channel: number,
  from: number,
  to: number,
  out: Float32Array,
): void {
  const { tone, plan, line } = layout;
  if (!tone) return renderUntoned(analysis, layout, channel, from, to, out);
  const low = from - tone.before;
  const wide = new Float32Array(to + tone.after - low);
  renderUntoned(analysis, layout, channel, low, to + tone.after, wide);
  out.set(wide.subarray(tone.before, tone.before + to - from));
  tone.add(wide, plan, line, from, to, out);
}

function renderUntoned(
  analysis: VoiceAnalysis,
  layout: Layout,
  channel: number,
  from: number,
  to: number,
  out: Float32Array,
): void {
  const n = to - from;
  out.fill(0, 0, n);
  layout.grounds[channel].add(analysis.channels[channel], from, to, out);
  const { runs } = layout;
  let voice: Float32Array | null = null;
  for (let i = firstRun(runs, from); i < runs.length; i++) {
    const [start] = runs[i].bounds;
    if (start >= to) break;
    const laid = runs[i].laid;
    if (!laid || laid.v1 <= from || laid.u0 >= to) continue;
    voice ??= new Float32Array(n);
    const run = runs[i];
    const write: WriteVoice = layout.plan.live
      ? (a, b, o) => renderRun(analysis, layout, run, laid, channel, a, b, o)
      : (a, b, o) => soundOf(analysis, layout, run, laid).write(channel, a, b, o);
    blend(laid, write, from, to, voice, out);
  }
  if (layout.plan.levelDb) applyLevel(layout, from, to, out);
}

/** A voice made anew under some curves. */
type VoiceRun = Pick<Run, 'segment' | 'curves'>;

/** What is needed to make a run's sound. */
export type Making = Pick<Layout, 'curves' | 'line' | 'makers'>;

/** Writes a run's sound over output samples [a, b) into an empty array. */
type WriteVoice = (a: number, b: number, out: Float32Array) => void;

/** Replaces what a run covers of output samples [from, to) in out by its sound. @param voice work space, as long as out */
function blend(laid: Laid, write: WriteVoice, from: number, to: number, voice: Float32Array, out: Float32Array): void {
  const a = Math.max(from, Math.ceil(laid.u0));
  const b = Math.min(to, Math.ceil(laid.v1));
  if (b <= a) return;
  voice.fill(0, 0, b - a);
  write(a, b, voice);
  for (let u = a; u < b; u++) {
    const z = u - from;
    if (u >= laid.u1 && u <= laid.v0) out[z] = voice[u - a];
    else {
      const v = u < laid.u1 ? (u - laid.u0) / (laid.u1 - laid.u0) : (laid.v1 - u) / (laid.v1 - laid.v0);
      const w = 0.5 - 0.5 * Math.cos(Math.PI * v);
      out[z] = out[z] * (1 - w) + voice[u - a] * w;
    }
  }
}

/** The same of a voice that is laid as it sounds: its loudness is known by what was just sung. */
export function blendGrowing(
  analysis: VoiceSource,
  making: Making,
  run: GrowingRun,
  channel: number,
  from: number,
  to: number,
  voice: Float32Array,
  out: Float32Array,
): void {
  const write: WriteVoice = (a, b, o) => renderRun(analysis, making, run, run.laid, channel, a, b, o);
  blend(run.laid, write, from, to, voice, out);
}

/** The sound of a run, kept for what is rendered next. */
function soundOf(analysis: VoiceSource, layout: Layout, run: Run, laid: Laid): RunSound {
  const { sounds, curves, line, rate } = layout;
  let sound = sounds.get(run);
  if (!sound) {
    const { segment } = run;
    const { at, source, epoch, count } = laid;
    sound = new RunSound(analysis, line, {
      pulses: (c, a, b, out) => addPulses(analysis, layout, run, laid, c, a, b, out),
      breath: (c, a, b, out) => addBreath(analysis.layersOf(segment, c), rate, curves, line, a, b, a, out),
      reach: u => {
        const i = Math.max(0, firstFrom(at, count, u) - 1);
        return reachAt(segment.periods[epoch[i]], curves.ratio(source[i]));
      },
      from: Math.ceil(laid.u0),
      to: Math.ceil(laid.v1),
    });
    sounds.set(run, sound);
    if (sounds.size > SOUNDS_KEPT) for (const oldest of sounds.keys()) return (sounds.delete(oldest), sound);
  }
  return sound;
}

/** First run that may reach an output sample. */
function firstRun(runs: Run[], u: number): number {
  let low = 0;
  let high = runs.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (runs[middle].bounds[1] <= u) low = middle + 1;
    else high = middle;
  }
  return low;
}

/** How much of a pulse is made anew where the plan asks what it asks at a source sample; the rest is the recording's own grain. */
const newShare = (curves: PlanCurves, t: number): number =>
  smoothStep(
    (Math.max(Math.abs(curves.offset(t)), Math.abs(curves.formant(t))) - GRAIN_UP_TO) / (ANEW_FROM - GRAIN_UP_TO),
  );

/** Adds a live run's pulses and breath over [from, to). */
function renderRun(
  analysis: VoiceSource,
  making: Making,
  run: VoiceRun,
  laid: Laid,
  channel: number,
  from: number,
  to: number,
  out: Float32Array,
): void {
  addPulses(analysis, making, run, laid, channel, from, to, out);
  const layers = analysis.layersOf(run.segment, channel);
  addBreath(layers, analysis.sampleRate, run.curves, making.line, from, to, from, out);
}

/** Adds a run's pulses over [from, to); where the plan is not live they are as loud as they happen to be. */
function addPulses(
  analysis: VoiceSource,
  making: Making,
  run: VoiceRun,
  laid: Laid,
  channel: number,
  from: number,
  to: number,
  out: Float32Array,
): void {
  const { segment, curves } = run;
  const { live } = curves.plan;
  const { epochs } = segment;
  const m = epochs.length;
  const layers = analysis.layersOf(segment, channel);
  const maker = making.makers[channel];
  maker.use(segment, layers, curves);
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
      if (anew > 0) addPulse(maker.pulse(k + j), place, gain * share * anew, from, to, out);
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
    const gain = live ? measuredGain(analysis, making, segment, curves, Math.max(0, epoch[i] - TRAILING), epoch[i]) : 1;
    put(at[i], t, epoch[i], gain / Math.sqrt(curves.ratio(t)));
  }
  const last = epoch[n - 1];
  if (i === n && laid.v0 < Infinity)
    for (let q = 1; q <= PULSES_AFTER && last + q < m; q++)
      put(at[n - 1] + epochs[last + q] - epochs[last], epochs[last + q], last + q, 1, source[n - 1]);
}

/** What makes the pulses about an epoch as loud as the voice they are made from: moved harmonics lie elsewhere on the formants. */
function measuredGain(
  analysis: VoiceSource,
  making: Making,
  segment: PitchedSegment,
  curves: PlanCurves,
  first: number,
  last: number,
): number {
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
      maker.use(segment, analysis.layersOf(segment, c), curves);
      const p = maker.pulse(k);
      before += p.powerIn;
      after += p.powerOut / curves.ratio(epochs[k]);
    });
  }
  return changed ? Math.min(8, Math.max(0.12, Math.sqrt(before / after))) : 1;
}

/** Applies the level curve; where it asks for nothing the gain is exactly one. */
function applyLevel({ curves, line }: Layout, from: number, to: number, out: Float32Array): void {
  for (let u = from; u < to; u++) out[u - from] *= curves.gain(line.natural ? u : line.backward(u));
}

/** Renders everything, every channel. */
export function renderAll(analysis: VoiceAnalysis, plan: VoicePlan): Float32Array[] {
  const layout = layOut(analysis, plan);
  const block = 65536;
  return analysis.channels.map((_, c) => {
    const out = new Float32Array(layout.length);
    for (let u = 0; u < out.length; u += block)
      renderSpan(analysis, layout, c, u, Math.min(out.length, u + block), out.subarray(u));
    return out;
  });
}

/** Index of the first place at or after a sample. */
function firstFrom(at: Float64Array, count: number, u: number): number {
  let low = 0;
  let high = count;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (at[middle] < u) low = middle + 1;
    else high = middle;
  }
  return low;
}
