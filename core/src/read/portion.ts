import { halveRate, highPass } from '../signal/filter';
import { floatsOf, lengthOf, type Samples } from '../signal/samples';
import { dbToGain, type Hertz, type Seconds } from '../units';
import { findCandidates } from './candidates';
import { colourChange } from './notes';
import { noteOnsets } from './onsets';
import {
  CANDIDATES_PER_FRAME as MOST,
  HOP,
  LEVEL_FLOOR_DB,
  type Candidates,
  type Range,
  type SungSpan,
} from './reading';
import { refinePath } from './refine';
import { quietest, stepPowers } from './rests';
import { bandPowers, type Bands } from './spectra';

/** Search bounds in Hz for each range. */
const BOUNDS: Record<Range, [number, number]> = { auto: [44, 1400], low: [44, 480], mid: [80, 800], high: [120, 1400] };
/** Loudness every take is read at, dB: what its loud tenth reaches. */
export const READ_AT_DB = -22;
/** This far under the gate nothing is looked at. */
const SILENT_UNDER_GATE_DB = 15;
const FRAMES_A_SECOND = 200;
/** Sound looked at before and after a portion: filters have long settled, and the widest window is full. */
const BEFORE: Seconds = 2;
const AFTER: Seconds = 1;
/** Takes are divided at multiples of this: there every rate they are halved to has a sample, and frames come in fours. */
const GRID: Seconds = 0.2;
/** A voice that is nearer than this to where a take is divided would be refined otherwise. */
const CLEAR: Seconds = 0.25;

/** What was found of a portion, its own frames alone. */
export interface Look {
  candidates: Candidates;
  bands: Bands;
  /** How much the colour changes, voiced or not. */
  colour: Float32Array;
}

/** A stretch of a take between two divisions; the last one goes to the take's end. */
export interface PortionSpan {
  from: Seconds;
  /** Infinity: to the end. */
  to: Seconds;
}

/** One channel out of several: their mean. One channel is returned as it is. */
export function mixDown(channels: Float32Array[]): Float32Array {
  if (channels.length === 1) return channels[0];
  const out = new Float32Array(channels[0].length);
  for (const c of channels) for (let i = 0; i < out.length; i++) out[i] += c[i] / channels.length;
  return out;
}

/** Frames of a whole take. */
export const framesOf = (samples: number, sampleRate: Hertz): number => Math.floor(samples / sampleRate / HOP) + 1;

/** How many times a rate is halved before anything fine is looked at. */
function halvings(sampleRate: Hertz): number {
  let times = 0;
  for (let rate = sampleRate; rate > 30000; rate /= 2) times++;
  return times;
}

/** Whether a take of this rate can be read in portions: they begin on a sample of every rate it is halved to. */
export const canBeDivided = (sampleRate: Hertz): boolean =>
  Number.isInteger(sampleRate / 2 ** (halvings(sampleRate) + 1));

/**
 * The part of reading a take that looks at its sound, for a stretch of it. What is found does not depend on how a take is divided, so
 * that portions can be read side by side: levels first, then, once the whole take's loudness is known, pitches and bands, then, along a
 * path through the whole take, the fine pitch.
 */
export class ReadingPortion {
  private readonly x: Float32Array;
  private readonly fine: Float32Array;
  private readonly fineRate: Hertz;
  private readonly coarse: Float32Array;
  private readonly coarseRate: Hertz;
  private readonly levelDb: Float32Array;
  /** Frames before the portion's own, and how many are its own. */
  private readonly lead: number;
  private readonly count: number;
  private looked: (Look & { gate: number }) | null = null;

  /** @param channels of the whole take @param range where pitches are looked for @param span all of it, as a rule */
  constructor(
    channels: readonly Samples[],
    private readonly sampleRate: Hertz,
    private readonly range: Range,
    { from, to }: PortionSpan = { from: 0, to: Infinity },
  ) {
    const length = lengthOf(channels[0]);
    const start = Math.max(0, from - BEFORE);
    const end = Math.min(length, Math.round((to + AFTER) * sampleRate));
    const frame = (t: Seconds) => Math.round(t * FRAMES_A_SECOND);
    this.lead = frame(from - start);
    this.count = Math.min(framesOf(length, sampleRate), frame(to)) - frame(from);
    this.x = mixDown(channels.map(c => floatsOf(c, Math.round(start * sampleRate), end)));
    let fine = this.x;
    for (let left = halvings(sampleRate); left > 0; left--) fine = halveRate(fine);
    this.fineRate = sampleRate / 2 ** halvings(sampleRate);
    this.fine = highPass(fine, this.fineRate, 45);
    const further = this.fineRate > 16000;
    this.coarse = further ? halveRate(this.fine) : this.fine;
    this.coarseRate = further ? this.fineRate / 2 : this.fineRate;
    this.levelDb = frameLevels(this.coarse, this.coarseRate, framesOf(this.x.length, sampleRate));
  }

  /** Level of its frames, dB. */
  levels(): Float32Array {
    return this.own(this.levelDb);
  }

  /** Pitches and bands of its frames. @param gate @param loud of the whole take, see levelGate @param onProgress share done, now and then */
  look(gate: number, loud: number, onProgress: (share: number) => void = () => {}): Look {
    const { x, sampleRate, coarse, coarseRate, fine, levelDb } = this;
    const frames = levelDb.length;
    const half = (frames + 1) >> 1;
    const gain = dbToGain(READ_AT_DB - loud);
    scale(coarse, gain);
    if (fine !== coarse) scale(fine, gain);
    const every = 400;
    const candidates = findCandidates(
      coarse,
      coarseRate,
      half,
      ...BOUNDS[this.range],
      k => levelDb[2 * k] < gate - SILENT_UNDER_GATE_DB,
      k => {
        if (k % every === 0) onProgress((0.75 * k) / half);
      },
    );
    const bands = bandPowers(x, sampleRate, frames, gain, k => {
      if (k % (2 * every) === 0) onProgress(0.75 + (0.25 * k) / frames);
    });
    const colour = colourChange(bands, frames);
    this.looked = { candidates, bands, colour, gate };
    return {
      candidates: {
        count: this.ownPairs(candidates.count),
        hz: this.ownPairs(candidates.hz, MOST),
        periodicity: this.ownPairs(candidates.periodicity, MOST),
        harmonicity: this.ownPairs(candidates.harmonicity, MOST),
      },
      bands: { ...bands, power: this.own(bands.power, bands.count) },
      colour: this.own(colour),
    };
  }

  /** Fine pitch of its frames, Hz, 0 where unvoiced. @param path through its own frames, see choosePath */
  refine(path: Int8Array): Float32Array {
    const { candidates, colour, gate } = this.looked!;
    const around = new Int8Array(candidates.count.length).fill(-1);
    around.set(path, this.lead / 2);
    return this.own(refinePath(this.coarse, this.coarseRate, candidates, around, this.levelDb, gate, colour));
  }

  /** When notes that begin in it are heard to begin, s from the portion's first frame. @param f0 its own frames */
  onsets(notes: readonly SungSpan[], f0: Float32Array): Seconds[] {
    const line = new Float32Array(this.levelDb.length);
    line.set(f0, this.lead);
    const later = this.lead * HOP;
    const shifted = notes.map(n => ({ ...n, start: n.start + later, end: n.end + later }));
    return noteOnsets(this.fine, this.fineRate, shifted, line).map(t => t - later);
  }

  /** What belongs to its own frames, so many numbers a frame. */
  private own(all: Float32Array, each = 1): Float32Array {
    return all.subarray(this.lead * each, (this.lead + this.count) * each);
  }

  /** The same of what is there for every second frame. */
  private ownPairs<T extends Float32Array | Uint8Array>(all: T, each = 1): T {
    return all.subarray((this.lead / 2) * each, Math.ceil((this.lead + this.count) / 2) * each) as T;
  }
}

/** Where a take can be divided into so many portions of about one length: in rests. @returns rising, perhaps fewer */
export function divisions(channels: readonly Samples[], sampleRate: Hertz, portions: number): Seconds[] {
  if (portions < 2 || !canBeDivided(sampleRate)) return [];
  const power = stepPowers(channels, Math.round(GRID * sampleRate));
  const around = Math.ceil(CLEAR / GRID);
  const reach = Math.floor(power.length / portions / 3);
  return Array.from({ length: portions - 1 }, (_, i) => {
    const middle = Math.round(((i + 1) * power.length) / portions) - around;
    return (quietest(power, 2 * around, middle - reach, middle + reach) + around) * GRID;
  });
}

/** Whether nothing is sung about any of the places, so that no portion can touch another. @param path see choosePath */
export function clearAt(path: Int8Array, cuts: readonly Seconds[]): boolean {
  const at = (s: Seconds) => Math.round((s * FRAMES_A_SECOND) / 2);
  return cuts.every(s => path.subarray(at(s - CLEAR), at(s + CLEAR)).every(j => j < 0));
}

function scale(x: Float32Array, gain: number): void {
  for (let i = 0; i < x.length; i++) x[i] *= gain;
}

/** Level over 10 ms around each frame, dB. */
function frameLevels(x: Float32Array, sampleRate: Hertz, frames: number): Float32Array {
  const half = Math.round(HOP * sampleRate);
  const out = new Float32Array(frames);
  for (let k = 0; k < frames; k++) {
    const middle = Math.round(k * HOP * sampleRate);
    const a = Math.max(0, middle - half);
    const b = Math.min(x.length, middle + half);
    let sum = 0;
    for (let i = a; i < b; i++) sum += x[i] * x[i];
    out[k] = Math.max(LEVEL_FLOOR_DB, 10 * Math.log10((b > a ? sum / (b - a) : 0) + 1e-12));
  }
  return out;
}
