import type { VoiceAnalysis } from './analysis';
import { sameFrame } from './change';
import { PulseMaker } from './fine';
import { Ground } from './gaps';
import { kept } from './kept';
import { finitePlan, PlanCurves, type VoicePlan } from './plan';
import { Run } from './pulses';
import { addPulses, addRunBreath, addVoice, firstFrom, type Voicing } from './run-pulses';
import { reachAt, RunSound } from './run-sound';
import { TimeLine } from './timeline';
import { ColourFilter } from './tone';

/** Bumped whenever the same plan would sound different. */
export const VOICE_VERSION = 7;

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

/** Runs whose sound is kept. */
const SOUNDS_KEPT = 4;
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
  layout.grounds[channel].add(from, to, out);
  const { runs } = layout;
  let voice: Float32Array | null = null;
  for (let i = firstRun(runs, from); i < runs.length; i++) {
    const [start] = runs[i].bounds;
    if (start >= to) break;
    const laid = runs[i].laid;
    if (!laid || laid.v1 <= from || laid.u0 >= to) continue;
    voice ??= new Float32Array(n);
    const { curves, segment } = runs[i];
    const voicing: Voicing = { source: analysis, making: layout, curves, segment, laid };
    const sound = layout.plan.live ? null : soundOf(layout, runs[i], voicing);
    blend(voicing, sound, channel, from, to, voice, out);
  }
  if (layout.plan.levelDb) applyLevel(layout, from, to, out);
}

/**
 * Replaces what a run covers of output samples [from, to) in out by its sound.
 * @param sound absent: a voice as it is sung live @param voice work space, as long as out
 */
export function blend(
  voicing: Voicing,
  sound: RunSound | null,
  channel: number,
  from: number,
  to: number,
  voice: Float32Array,
  out: Float32Array,
): void {
  const { u0, u1, v0, v1 } = voicing.laid;
  const a = Math.max(from, Math.ceil(u0));
  const b = Math.min(to, Math.ceil(v1));
  if (b <= a) return;
  voice.fill(0, 0, b - a);
  if (sound) sound.write(channel, a, b, voice);
  else addVoice(voicing, channel, a, b, voice);
  // in, wholly, and out
  const whole = Math.min(b, Math.max(a, Math.ceil(u1)));
  const last = Math.max(whole, Math.min(b, Math.floor(v0) + 1));
  mixIn(voice, a, whole, a, from, out, u => (u - u0) / (u1 - u0));
  out.set(voice.subarray(whole - a, last - a), whole - from);
  mixIn(voice, last, b, a, from, out, u => (v1 - u) / (v1 - v0));
}

/** Goes over from what is in out to a voice over output samples [low, high). @param share from 0 to 1 */
function mixIn(
  voice: Float32Array,
  low: number,
  high: number,
  voiceFrom: number,
  outFrom: number,
  out: Float32Array,
  share: (u: number) => number,
): void {
  for (let u = low; u < high; u++) {
    const w = 0.5 - 0.5 * Math.cos(Math.PI * share(u));
    out[u - outFrom] = out[u - outFrom] * (1 - w) + voice[u - voiceFrom] * w;
  }
}

/** The sound of a run, kept for what is rendered next. */
function soundOf({ sounds, line }: Layout, run: Run, voicing: Voicing): RunSound {
  return kept(sounds, run, SOUNDS_KEPT, () => {
    const { source, laid, curves, segment } = voicing;
    return new RunSound(source, line, {
      pulses: (c, a, b, out) => addPulses(voicing, c, a, b, out),
      breath: (c, a, b, out) => addRunBreath(voicing, c, a, b, out),
      reach: u => {
        const i = Math.max(0, firstFrom(laid.at, laid.count, u) - 1);
        return reachAt(segment.periods[laid.epoch[i]], curves.ratio(laid.source[i]));
      },
      brinks: segment.brinks.map(b => ({ start: line.forward(b.start), end: line.forward(b.end) })),
      from: Math.ceil(laid.u0),
      to: Math.ceil(laid.v1),
    });
  });
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
