import { floatsOf, neutralPlan, quantile, renderAll, type VoiceAnalysis } from '@essim/core';

/**
 * Level wobble: how the level of a shifted voice departs, for some periods, from that of the voice it is made from. An editor hears it
 * first and no mean shows it. The level change in windows of two and a half periods, less its mean over 75 ms.
 */

/** What a level is looked at over: periods of the sung voice, and the slow course of the change that is not counted, s. */
const PERIODS = 2.5;
const SLOW_SECONDS = 0.075;
const SPOT_DB = 1.5;
/** Spots nearer to each other are one, s. */
const SPOT_APART = 0.03;
/** Cents. */
const SHIFTS = [10, 40, 200, 1200, -1200];
/** Frames this far under the take's loud ones are heard by nobody, dB. */
const QUIET_DB = 45;

export interface Wobble {
  /** Departures, dB, one a voiced frame. */
  departures: number[];
  /** Seconds at which they exceed 1.5 dB. */
  spots: number[];
  /** Voiced seconds. */
  seconds: number;
  /** Mean level change, dB. */
  level: number;
}

/** Every voiced frame of a take moved by the same cents, and what that did to its level. */
export function wobbleOf(voice: VoiceAnalysis, cents: number): Wobble {
  const plan = neutralPlan(voice.frames, voice.hop);
  plan.offsetCents.fill(cents);
  plan.active.fill(1);
  return compareLevels(voice, renderAll(voice, plan)[0], 2 ** (cents / 1200));
}

/** The same for any rendering that keeps time. @param ratio its pitch over the sung one */
export function compareLevels(voice: VoiceAnalysis, y: Float32Array, ratio: number): Wobble {
  const { f0, hop, sampleRate, channels } = voice;
  const x = floatsOf(channels[0]);
  const change = new Float64Array(f0.length).fill(NaN);
  const level = new Float64Array(f0.length).fill(NaN);
  for (let k = 0; k < f0.length; k++) {
    if (!(f0[k] > 0)) continue;
    const half = (PERIODS / 2 / f0[k] / Math.min(1, ratio)) * sampleRate;
    const at = Math.round(k * hop * sampleRate);
    const p = powerAbout(x, at, half);
    const q = powerAbout(y, at, half);
    level[k] = 10 * Math.log10(p);
    change[k] = 10 * Math.log10(q / p);
  }
  const loud = quantile(
    [...level].filter(v => !Number.isNaN(v)),
    0.9,
  );
  const wide = Math.round(SLOW_SECONDS / 2 / hop);
  const out: Wobble = { departures: [], spots: [], seconds: 0, level: 0 };
  for (let k = 0; k < f0.length; k++) {
    // a voice's very ends are crossfades with what is as sung
    if (!(level[k] > loud - QUIET_DB) || !(f0[k - 3] > 0) || !(f0[k + 3] > 0)) continue;
    let sum = 0;
    let n = 0;
    for (let z = k - wide; z <= k + wide; z++)
      if (f0[z] > 0) {
        sum += change[z];
        n++;
      }
    const off = Math.abs(change[k] - sum / n);
    out.departures.push(off);
    out.level += change[k];
    out.seconds += hop;
    if (off > SPOT_DB && !(k * hop - (out.spots.at(-1) ?? -1) < SPOT_APART)) out.spots.push(k * hop);
  }
  out.level /= Math.max(1, out.departures.length);
  return out;
}

/** Mean power under a Hann window. */
function powerAbout(x: Float32Array, at: number, half: number): number {
  let [sum, weights] = [0, 0];
  for (let i = Math.ceil(at - half); i <= at + half; i++) {
    const w = 0.5 + 0.5 * Math.cos((Math.PI * (i - at)) / half);
    sum += w * (x[i] ?? 0) ** 2;
    weights += w;
  }
  return sum / weights + 1e-10;
}

/** Plain overlap-add of the recording's own periods (Moulines and Charpentier 1990), to compare with: every note moved by the same cents. */
export function overlapAdd(voice: VoiceAnalysis, cents: number): Float32Array {
  const x = floatsOf(voice.channels[0]);
  const ratio = 2 ** (cents / 1200);
  const out = x.slice();
  for (const { epochs } of voice.segments) {
    if (epochs.length < 4) continue;
    const [first, last] = [epochs[1], epochs[epochs.length - 2]];
    out.fill(0, Math.ceil(first), Math.floor(last) + 1);
    const add = (k: number, at: number) => {
      const [left, right] = [epochs[k] - epochs[k - 1], epochs[k + 1] - epochs[k]];
      for (let u = Math.ceil(Math.max(first, at - left)); u <= Math.min(last, at + right); u++) {
        const d = u - at;
        const w = 0.5 + 0.5 * Math.cos((Math.PI * d) / (d < 0 ? left : right));
        out[u] += w * (x[Math.round(epochs[k] + d)] ?? 0);
      }
    };
    let k = 1;
    for (let at = first; at <= last; at += (epochs[k + 1] - epochs[k]) / ratio) {
      while (k < epochs.length - 2 && Math.abs(epochs[k + 1] - at) < Math.abs(epochs[k] - at)) k++;
      add(k, at);
    }
  }
  return out;
}

/** Takes as they are told, moved by some shifts, and plain overlap-add at two semitones. */
export function scoreWobble(
  takes: readonly { kind: string; voice: VoiceAnalysis }[],
): Record<string, string | number>[] {
  const kinds = [...new Set(takes.map(t => t.kind))];
  return SHIFTS.flatMap(cents =>
    kinds.map(kind => {
      const voices = takes.filter(t => t.kind === kind).map(t => t.voice);
      const told = (all: Wobble[]) => {
        const seconds = all.reduce((s, w) => s + w.seconds, 0);
        return {
          at99: quantile(
            all.flatMap(w => w.departures),
            0.99,
          ),
          spots: (60 * all.reduce((s, w) => s + w.spots.length, 0)) / seconds,
          level: all.reduce((s, w) => s + w.level, 0) / all.length,
        };
      };
      const ours = told(voices.map(v => wobbleOf(v, cents)));
      const plain = told(voices.map(v => compareLevels(v, overlapAdd(v, cents), 2 ** (cents / 1200))));
      return {
        shift: `${cents} c`,
        kind,
        '99 % dB': ours.at99,
        'spots over 1.5 dB a minute': ours.spots,
        'level dB': ours.level,
        'overlap-add 99 % dB': plain.at99,
        'its spots': plain.spots,
      };
    }),
  );
}
