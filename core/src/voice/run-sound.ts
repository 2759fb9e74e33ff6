import { TriangleSums } from '../signal/triangle-sums';
import type { VoiceSource } from './analysis';
import { kept } from './kept';
import type { Span } from '../units';
import type { TimeLine } from './timeline';

/**
 * The sound of a run, as loud at every moment as the voice it is made from. Pulses that have moved meet their neighbours, and the breath
 * that goes past them, otherwise than they were sung; left alone that is 2 to 4 dB for some periods where a vowel closes into m, n or l.
 * So the sound is made first and weighed against the recording afterwards.
 */

/** Adds a run's pulses, or its breath, of one channel over output samples [from, to) to out. */
export type AddSound = (channel: number, from: number, to: number, out: Float32Array) => void;

/** Half the time over which loudness is taken about an output sample, of the source and of the output: whole periods of each. Samples. */
export interface Reach {
  source: number;
  output: number;
}

export interface RunParts {
  pulses: AddSound;
  breath: AddSound;
  reach(u: number): Reach;
  /** The quiet sides of steps of level, output samples, in order: nothing may be louder there than it was sung. */
  brinks: readonly Span[];
  /** First output sample, and the one after the last. */
  from: number;
  to: number;
}

/** Samples made in one piece, and between two places at which they are weighed. */
const BLOCK = 1024;
const GRID = 32;
const PLACES = BLOCK / GRID + 1;
/** Gains that follow a steep rise are themselves a change of level: they are weighed once more. */
const WEIGHINGS = 2;
/** Blocks kept: two octaves down a low voice is weighed over as many as eight to either side. */
const KEPT = 32;
/** Power nobody hears: silence is left as it is. */
const SILENCE = 1e-10;
const LOUDEST = 8;
/** Where breath alone is as loud as the voice was, pulses are asked for this share of the power, and all of it is turned down. */
const PULSES_LEFT = 0.4;

/** On the quiet side of a step loudness is looked at over this share of the usual time, and may be over what was sung by so much (power). */
const CLOSE = 0.5;
const CLOSE_OVER = 1.6;

/** Loudness is taken over at least so many samples either side. */
const SHORTEST_REACH = 64;

/** Whole periods before and after the change of pitch that take about the same time. @param period samples @param ratio output pitch over the sung one */
export function reachAt(period: number, ratio: number): Reach {
  const before = Math.max(1, Math.round(1 / ratio));
  const after = Math.max(1, Math.round(ratio));
  return {
    source: Math.max(SHORTEST_REACH, before * period),
    output: Math.max(SHORTEST_REACH, (after * period) / ratio),
  };
}

/**
 * How far from a sample its loudness may depend on what sounds, where loudness is taken over so much either side: to the last bit on all
 * of a block. Samples.
 */
export const weighedWithin = (reach: number): number => WEIGHINGS * (BLOCK + reach + 1);

interface Sound {
  /** Per channel. */
  pulses: Float32Array[];
  breath: Float32Array[];
}

/** Gains of the pulses, and then of everything, at the places of a block. */
interface Gains {
  pulses: Float64Array;
  all: Float64Array;
  /** Over how much loudness is taken there, the power to reach, and the breath's: the same at every weighing. */
  reaches: Reach[];
  wanted: number[];
  breath: number[];
}

export class RunSound {
  private readonly sounds = new Map<number, Sound>();
  /** By block, after each weighing. */
  private readonly gains = Array.from({ length: WEIGHINGS }, () => new Map<number, Gains>());
  private readonly sums = new TriangleSums();
  private readonly spaces: Float32Array[][] = [];
  private readonly sourceFrom: number;
  private readonly sourceTo: number;

  constructor(
    private readonly source: VoiceSource,
    private readonly line: TimeLine,
    private readonly parts: RunParts,
  ) {
    this.sourceFrom = line.backward(parts.from);
    this.sourceTo = line.backward(parts.to);
  }

  /** Writes output samples [from, to), all within the run, to out. */
  write(channel: number, from: number, to: number, out: Float32Array): void {
    for (let i = Math.floor(from / BLOCK); i * BLOCK < to; i++) {
      const { all } = this.gainsOf(i, WEIGHINGS - 1);
      const sound = this.soundOf(i);
      const b = sound.breath[channel];
      const zero = i * BLOCK;
      const a = Math.max(from, zero);
      const end = Math.min(to, zero + BLOCK);
      this.writePulses(i, WEIGHINGS - 1, sound.pulses[channel], a, end, out, a - from);
      for (let z = a - zero; z < end - zero;) {
        const j = (z / GRID) | 0;
        const gain = all[j];
        const rise = all[j + 1] - gain;
        const stop = Math.min(end - zero, (j + 1) * GRID);
        const place = zero - from;
        for (; z < stop; z++) out[place + z] = (out[place + z] + b[z]) * (gain + rise * (z / GRID - j));
      }
    }
  }

  /** Writes a block's pulses [from, to) as loud as a number of weighings left them. */
  private writePulses(
    block: number,
    weighing: number,
    pulses: Float32Array,
    from: number,
    to: number,
    out: Float32Array,
    at: number,
  ): void {
    const zero = block * BLOCK;
    if (weighing < 0) return out.set(pulses.subarray(from - zero, to - zero), at);
    const gains = this.gainsOf(block, weighing).pulses;
    for (let z = from - zero; z < to - zero;) {
      const j = (z / GRID) | 0;
      const gain = gains[j];
      const rise = gains[j + 1] - gain;
      const end = Math.min(to - zero, (j + 1) * GRID);
      const place = at + zero - from;
      for (; z < end; z++) out[place + z] = pulses[z] * (gain + rise * (z / GRID - j));
    }
  }

  private soundOf(i: number): Sound {
    return kept(this.sounds, i, KEPT, () => {
      const { parts } = this;
      const from = Math.max(i * BLOCK, parts.from);
      const to = Math.min((i + 1) * BLOCK, parts.to);
      const made = (add: AddSound) =>
        Array.from({ length: this.source.channelCount }, (_, c) => {
          const out = new Float32Array(BLOCK);
          if (to > from) add(c, from, to, out.subarray(from - i * BLOCK));
          return out;
        });
      return { pulses: made(parts.pulses), breath: made(parts.breath) };
    });
  }

  private gainsOf(i: number, weighing: number): Gains {
    return kept(this.gains[weighing], i, KEPT, () => {
      const places = Array.from({ length: PLACES }, (_, j) => this.within(i * BLOCK + j * GRID));
      const before = weighing > 0 ? this.gainsOf(i, weighing - 1) : null;
      const reaches = before?.reaches ?? places.map(u => this.parts.reach(u));
      const around = Math.ceil(Math.max(...reaches.map(r => r.output))) + 1;
      const start = Math.max(this.parts.from, places[0] - around);
      const end = Math.min(this.parts.to, places[PLACES - 1] + around);
      const sound = this.stretch(start, end, weighing - 1);
      const beside = weighing === WEIGHINGS - 1 ? places.map(u => this.besideStep(u)) : [];
      const looksClose = beside.includes(true);
      // summed once, however closely it is looked at
      const means = (p: Float32Array[], q: Float32Array[]): number[][] => {
        this.sums.over(start, end);
        p.forEach((x, c) => this.sums.add(x, q[c]));
        const over = (share: number) => places.map((u, j) => this.sums.mean(u, share * reaches[j].output));
        return looksClose ? [over(1), over(CLOSE)] : [over(1)];
      };
      const wanted = before?.wanted ?? this.wanted(places, reaches);
      const closeWanted = looksClose ? this.wanted(places, reaches, CLOSE) : [];
      const [pp, closePulses] = means(sound.pulses, sound.pulses);
      const [pb, closeBoth] = means(sound.pulses, sound.breath);
      const [breath, closeBreath] = before && !looksClose ? [before.breath, []] : means(sound.breath, sound.breath);
      const pulses = new Float64Array(PLACES);
      const all = new Float64Array(PLACES);
      for (let j = 0; j < PLACES; j++) {
        const [gain, rest] = weigh(pp[j], breath[j], pb[j], wanted[j]);
        pulses[j] = gain * (before?.pulses[j] ?? 1);
        all[j] = rest;
        if (!beside[j]) continue;
        const made = rest * rest * (gain * gain * closePulses[j] + 2 * gain * closeBoth[j] + closeBreath[j]);
        all[j] *= Math.min(1, Math.sqrt((CLOSE_OVER * (closeWanted[j] + SILENCE)) / Math.max(made, SILENCE)));
      }
      return { pulses, all, reaches, wanted, breath };
    });
  }

  /** Whether an output sample lies on the quiet side of a step of level. */
  private besideStep(u: number): boolean {
    const { brinks } = this.parts;
    let low = 0;
    let high = brinks.length;
    while (low < high) {
      const middle = (low + high) >> 1;
      if (brinks[middle].end < u) low = middle + 1;
      else high = middle;
    }
    return low < brinks.length && brinks[low].start <= u;
  }

  private within(u: number): number {
    return Math.min(this.parts.to, Math.max(this.parts.from, u));
  }

  /** Work space of so many sounds that long, the same each time for one use; what was in it stays there. */
  private spaceFor(use: number, count: number, length: number): Float32Array[] {
    const space = (this.spaces[use] ??= Array.from({ length: count }, () => new Float32Array(0)));
    for (let i = 0; i < count; i++) if (space[i].length < length) space[i] = new Float32Array(length + BLOCK);
    return space.map(x => x.subarray(0, length));
  }

  /** What was made of output samples [from, to), in one piece, its pulses as loud as a number of weighings left them. */
  private stretch(from: number, to: number, weighing: number): Sound {
    const { channelCount } = this.source;
    const space = this.spaceFor(weighing + 2, 2 * channelCount, to - from);
    const out: Sound = { pulses: space.slice(0, channelCount), breath: space.slice(channelCount) };
    for (let i = Math.floor(from / BLOCK); i * BLOCK < to; i++) {
      const sound = this.soundOf(i);
      const a = Math.max(from, i * BLOCK);
      const b = Math.min(to, (i + 1) * BLOCK);
      for (let c = 0; c < channelCount; c++) {
        this.writePulses(i, weighing, sound.pulses[c], a, b, out.pulses[c], a - from);
        out.breath[c].set(sound.breath[c].subarray(a - i * BLOCK, b - i * BLOCK), a - from);
      }
    }
    return out;
  }

  /** Power of the recording about the places of a block, all channels; as the output, it is not looked at beyond the run. */
  private wanted(places: readonly number[], reaches: readonly Reach[], share = 1): number[] {
    const at = places.map(u => this.line.backward(u));
    const around = Math.ceil(Math.max(...reaches.map(r => r.source))) + 2;
    const from = Math.floor(Math.max(this.sourceFrom, at[0] - around));
    const to = Math.ceil(Math.min(this.sourceTo, at[PLACES - 1] + around)) + 1;
    const { sums, source } = this;
    sums.over(from, to);
    const [x] = this.spaceFor(0, 1, to - from);
    for (let c = 0; c < source.channelCount; c++) {
      source.copy(c, from, x);
      sums.add(x, x);
    }
    return at.map((t, j) => sums.mean(t, share * reaches[j].source));
  }
}

/** Gains of the pulses and of everything that make a sound as loud as wanted. @param pp @param bb @param pb mean products of pulses and breath */
function weigh(pp: number, bb: number, pb: number, wanted: number): [number, number] {
  const power = pp + SILENCE;
  // |gain pulses + breath|^2 = wanted
  const left = Math.max(wanted + SILENCE - bb, PULSES_LEFT * (wanted + SILENCE));
  const gain = Math.min(LOUDEST, Math.max(1 / LOUDEST, (Math.sqrt(pb * pb + power * left) - pb) / power));
  const made = gain * gain * power + 2 * gain * pb + bb;
  return [gain, Math.sqrt(Math.min(4, Math.max(0.1, (wanted + SILENCE) / Math.max(made, 1e-20))))];
}
