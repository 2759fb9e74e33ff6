import { mixDown } from '../read';
import { hashNoise } from '../signal/random';
import { SINC8, sincAt, sincPhase } from '../signal/sinc';
import { findSegments, type PitchedSegment } from './epochs';
import { layGaps, type Piece } from './gaps';
import { layPulses, type Mask, type Pulse, type VoicePlan } from './pulses';
import { separate, separateAgain, type Layers } from './separate';

/** Bumped whenever the same plan would sound different. */
export const VOICE_VERSION = 1;

/** A take made ready for the engine: epochs common to all channels, and each channel's layers. */
export interface VoiceAnalysis {
  sampleRate: number;
  /** The pitch line it was made by. */
  f0: Float32Array;
  segments: PitchedSegment[];
  channels: Layers[];
}

/** A plan laid out over an analysis; spans of it can be rendered in any order. */
export interface Layout {
  plan: VoicePlan;
  /** Output length in samples. */
  length: number;
  pulses: Pulse[];
  masks: Mask[];
  pieces: Piece[];
  /** How far a pulse's sound reaches from its place, samples. */
  reach: number;
}

/** Gain of the breath layer under moved pulses: the comb that separates it takes a little of it away. */
const BREATH_GAIN = 1.28;
const GRAIN_SECONDS = 0.006;
const COSINE_SIZE = 8192;
const COSINE = Float64Array.from({ length: COSINE_SIZE + 1 }, (_, i) => Math.cos((2 * Math.PI * i) / COSINE_SIZE));

/**
 * Analyses a take for the engine.
 * @param channels one or two arrays of equal length; epochs are found on their mix, so that both stay phase locked
 * @param f0 the reading's pitch line, Hz per frame, 0 where unpitched
 * @param before an analysis of the same channels by an older pitch line: what is the same is taken over, its arrays too, so that it must not
 *   be used any more
 * Cost: about 1/130 of real time a channel; after a change, of the length that changed.
 */
export function analyseVoice(
  channels: Float32Array[],
  sampleRate: number,
  f0: ArrayLike<number>,
  hop: number,
  before?: VoiceAnalysis,
): VoiceAnalysis {
  const mix = mixDown(channels);
  const segments = findSegments(mix, sampleRate, f0, hop, before);
  const made = { sampleRate, f0: Float32Array.from(f0), segments };
  if (!before) return { ...made, channels: channels.map(c => separate(c, sampleRate, segments)) };
  const [now, then] = [new Set(segments), new Set(before.segments)];
  const changed = [...segments.filter(s => !then.has(s)), ...before.segments.filter(s => !now.has(s))];
  for (const layers of before.channels) separateAgain(layers, sampleRate, segments, changed);
  return { ...made, channels: before.channels };
}

/** A plan that changes nothing. */
export const neutralPlan = (frames: number, hop: number): VoicePlan => ({
  hop,
  offsetCents: new Float32Array(frames),
  active: new Uint8Array(frames),
  formantRatio: 1,
  stretch: 1,
});

/** Lays a plan out. Cheap against rendering; linear in the length that is active. */
export function layOut(analysis: VoiceAnalysis, plan: VoicePlan): Layout {
  const { segments, sampleRate, channels } = analysis;
  const { runs, masks } = layPulses(segments, plan, sampleRate);
  for (const run of runs) keepLoudness(run, plan, channels);
  const pulses = runs.flat();
  const source = channels[0].source;
  let longest = 0;
  for (const p of pulses) longest = Math.max(longest, p.segment.periods[p.epoch]);
  return {
    plan,
    length: Math.round(source.length * plan.stretch),
    pulses,
    masks,
    pieces: plan.stretch === 1 ? [] : layGaps(source, sampleRate, segments, plan.stretch),
    reach: (2.2 * longest) / plan.formantRatio + 4,
  };
}

/** Places in a run at which its loudness is looked at. */
const LOUDNESS_PLACES = 12;

/**
 * Gives a run one gain, so that it is as loud as the voice it is made from: moved harmonics lie elsewhere on the formants. Power is
 * compared over two whole periods on either side.
 */
function keepLoudness(run: Pulse[], plan: VoicePlan, channels: Layers[]): void {
  const n = run.length;
  if (n < 4) return;
  let before = 1e-12;
  let after = 1e-12;
  const count = Math.min(LOUDNESS_PLACES, n >> 1);
  for (let w = 0; w < count; w++) {
    const k = Math.max(1, Math.min(n - 2, Math.floor(((w + 0.5) * n) / count)));
    const { segment, epoch } = run[k];
    const { epochs, periods } = segment;
    const from = Math.round(run[k - 1].at);
    const to = Math.round(run[k + 1].at);
    const sungFrom = Math.round(epochs[Math.max(0, epoch - 1)]);
    const sungTo = Math.round(epochs[Math.min(epochs.length - 1, epoch + 1)]);
    const reach = (1.2 * periods[epoch]) / plan.formantRatio;
    for (const { pulses: x } of channels) {
      const out = new Float32Array(to - from);
      for (let j = k; j >= 0 && run[j].at > from - reach; j--) addPulse(x, run[j], plan, from, to, out);
      for (let j = k + 1; j < n && run[j].at < to + reach; j++) addPulse(x, run[j], plan, from, to, out);
      after += power(out, 0, out.length);
      before += power(x, sungFrom, sungTo);
    }
  }
  const gain = Math.min(2, Math.max(0.5, Math.sqrt(before / after)));
  for (const p of run) p.gain *= gain;
}

/** Mean square over [from, to). */
function power(x: Float32Array, from: number, to: number): number {
  let sum = 0;
  for (let i = from; i < to; i++) sum += x[i] * x[i];
  return to > from ? sum / (to - from) : 0;
}

/**
 * Renders output samples [from, to) of one channel into out. A pure function of (analysis, layout, span): any division into spans
 * gives the same samples. Pitch-synchronous overlap-add (Moulines and Charpentier 1990) of the periodic layer; the breath layer is
 * carried past the pulses; outside edited stretches the source is copied bit for bit.
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
  const layers = analysis.channels[channel];
  const { plan, masks } = layout;
  const n = to - from;
  out.fill(0, 0, n);
  if (plan.stretch === 1) {
    const end = Math.min(to, layers.source.length);
    if (end > from) out.set(layers.source.subarray(from, end));
  } else for (const piece of layout.pieces) addPiece(layers.source, piece, from, to, out);
  const touched = masks.filter(m => m.v1 > from && m.u0 < to);
  if (!touched.length) return;
  const voice = new Float32Array(n);
  const { pulses, reach } = layout;
  for (let k = firstFrom(pulses, from - reach); k < pulses.length && pulses[k].at < to + reach; k++)
    addPulse(layers.pulses, pulses[k], plan, from, to, voice);
  for (const m of touched) {
    const a = Math.max(from, Math.ceil(m.u0));
    const b = Math.min(to, Math.ceil(m.v1));
    if (plan.stretch === 1 && plan.formantRatio === 1)
      for (let u = a; u < b; u++) voice[u - from] += BREATH_GAIN * layers.breath[u];
    else addBreath(layers.breath, analysis.sampleRate, plan, a, b, from, voice);
    for (let u = a; u < b; u++) {
      const z = u - from;
      const w = u >= m.u1 && u <= m.v0 ? 1 : fade(u < m.u1 ? (u - m.u0) / (m.u1 - m.u0) : (m.v1 - u) / (m.v1 - m.v0));
      out[z] = out[z] * (1 - w) + voice[z] * w;
    }
  }
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

const fade = (v: number) => 0.5 - 0.5 * Math.cos(Math.PI * v);

/** Index of the first pulse at or after a place. */
function firstFrom(pulses: Pulse[], at: number): number {
  let low = 0;
  let high = pulses.length;
  while (low < high) {
    const mid = (low + high) >> 1;
    if (pulses[mid].at < at) low = mid + 1;
    else high = mid;
  }
  return low;
}

function addPiece(x: Float32Array, p: Piece, from: number, to: number, out: Float32Array): void {
  const low = Math.max(p.at, from);
  const high = Math.min(p.at + p.length, to);
  for (let u = low; u < high; u++) {
    const k = u - p.at;
    let w = 1;
    if (k < p.fadeIn) w = Math.sin((0.5 * Math.PI * (k + 0.5)) / p.fadeIn);
    else if (p.length - k <= p.fadeOut) w = Math.sin((0.5 * Math.PI * (p.length - k - 0.5)) / p.fadeOut);
    const j = u + p.shift;
    if (j >= 0 && j < x.length) out[u - from] += w * x[j];
  }
}

/** The breath layer, stretched or moved in frequency: short grains on a fixed grid with a wandering read point. */
function addBreath(
  x: Float32Array,
  sampleRate: number,
  plan: VoicePlan,
  a: number,
  b: number,
  from: number,
  out: Float32Array,
): void {
  const { stretch, formantRatio } = plan;
  const hop = Math.round(GRAIN_SECONDS * sampleRate);
  for (let k = Math.floor(a / hop) - 1; k * hop - hop < b; k++) {
    const centre = k * hop;
    const t = centre / stretch + (Math.abs(stretch - 1) > 0.01 ? hashNoise(k) * hop * 0.8 : 0);
    for (let u = Math.max(a, centre - hop); u < Math.min(b, centre + hop); u++) {
      const w = BREATH_GAIN * Math.cos((0.5 * Math.PI * (u - centre)) / hop);
      out[u - from] +=
        w * (formantRatio === 1 ? (x[Math.round(t) + u - centre] ?? 0) : sincAt(x, t + (u - centre) * formantRatio));
    }
  }
}

function addPulse(x: Float32Array, p: Pulse, plan: VoicePlan, from: number, to: number, out: Float32Array): void {
  const { epochs } = p.segment;
  let epoch = p.epoch;
  let mix = 0;
  if (p.blend) {
    const t = p.at / plan.stretch;
    if (t < epochs[epoch] && epoch > 0) epoch--;
    if (epoch < epochs.length - 1)
      mix = Math.min(1, Math.max(0, (t - epochs[epoch]) / (epochs[epoch + 1] - epochs[epoch])));
  }
  if (mix < 0.98) addGrain(x, p.segment, epoch, p.at, p.gain * (1 - mix), plan.formantRatio, from, to, out);
  if (mix > 0.02) addGrain(x, p.segment, epoch + 1, p.at, p.gain * mix, plan.formantRatio, from, to, out);
}

/** One grain: the source around an epoch under a Hann of one period each side, its centre at the fractional output place. */
function addGrain(
  x: Float32Array,
  s: PitchedSegment,
  epoch: number,
  at: number,
  gain: number,
  formant: number,
  from: number,
  to: number,
  out: Float32Array,
): void {
  const { epochs, periods } = s;
  const m = epochs.length;
  const centre = epochs[epoch];
  const left = (epoch > 0 ? centre - epochs[epoch - 1] : periods[0]) / formant;
  const right = (epoch < m - 1 ? epochs[epoch + 1] - centre : periods[m - 1]) / formant;
  const a = Math.max(from, Math.ceil(at - left));
  const b = Math.min(to - 1, Math.floor(at + right));
  if (formant !== 1) {
    for (let u = a; u <= b; u++) {
      const q = u - at;
      out[u - from] +=
        gain * (0.5 + 0.5 * Math.cos((Math.PI * q) / (q < 0 ? left : right))) * sincAt(x, centre + q * formant);
    }
    return;
  }
  const shift = centre - at;
  const whole = Math.floor(shift);
  const p = sincPhase(shift - whole);
  const o = whole - 3;
  const [s0, s1, s2, s3, s4, s5, s6, s7] = [
    SINC8[p],
    SINC8[p + 1],
    SINC8[p + 2],
    SINC8[p + 3],
    SINC8[p + 4],
    SINC8[p + 5],
    SINC8[p + 6],
    SINC8[p + 7],
  ];
  const last = x.length - 8;
  for (let u = a; u <= b; u++) {
    const z = u + o;
    if (z < 0 || z > last) continue;
    const q = u - at;
    const w = gain * (0.5 + 0.5 * COSINE[((COSINE_SIZE / 2) * (q < 0 ? -q / left : q / right) + 0.5) | 0]);
    out[u - from] +=
      w *
      (x[z] * s0 +
        x[z + 1] * s1 +
        x[z + 2] * s2 +
        x[z + 3] * s3 +
        x[z + 4] * s4 +
        x[z + 5] * s5 +
        x[z + 6] * s6 +
        x[z + 7] * s7);
  }
}
