import { hashNoise } from '../signal/random';
import { copySamples, floatsOf, lengthOf, type Samples } from '../signal/samples';
import type { PitchedSegment } from './epochs';
import type { Pace, TimeLine } from './timeline';

/** A piece of the recording copied to the output. Samples. */
export interface Piece {
  at: number;
  length: number;
  /** Source position minus output position. */
  shift: number;
  fadeIn: number;
  fadeOut: number;
  /** Ends that overlap with the same sound: their gains add up to one. Others overlap with unlike sound: their powers do. */
  alikeIn: boolean;
  alikeOut: boolean;
}

const GRAIN_SECONDS = 0.006;
const JUMP_DB = 14;
const QUIET_DB = -55;
/** Kept at natural speed around a plosive, s. */
const BEFORE_ATTACK = 0.003;
const AFTER_ATTACK = 0.018;
const ATTACK_FADE = 24;
/** Copied sound goes on under the edge of a voice that is made anew next to it, s. */
const UNDER_VOICE = 0.03;

/** Attacks of plosives between two samples: jumps of the 1 ms level over the 3-8 ms before, after pre-emphasis. Samples. */
export function findAttacks(sound: Samples, sampleRate: number, from: number, to: number): number[] {
  const block = Math.round(sampleRate / 1000);
  const blocks = Math.floor(lengthOf(sound) / block);
  const first = Math.max(0, Math.floor(from / block) - 10);
  const level = new Float32Array(Math.max(0, Math.min(blocks, Math.ceil(to / block) + 4) - first));
  const x = new Float32Array(1 + level.length * block);
  copySamples(sound, first * block - 1, x.length, x);
  for (let i = 0; i < level.length; i++) {
    let s = 0;
    const start = 1 + i * block;
    let before = x[start - 1];
    for (let k = 0; k < block; k++) {
      const v = x[start + k];
      const d = v - 0.95 * before;
      before = v;
      s += d * d;
    }
    level[i] = 10 * Math.log10(s / block + 1e-9);
  }
  const attacks: number[] = [];
  for (let i = Math.max(10, Math.ceil(from / block)); i < Math.min(blocks - 4, to / block); i++) {
    const j = i - first;
    let ground = 0;
    for (let k = 3; k < 9; k++) ground += (level[j - k] ?? level[0]) / 6;
    const far = !attacks.length || i * block - attacks[attacks.length - 1] > 0.03 * sampleRate;
    if (level[j + 1] - ground <= JUMP_DB || level[j + 1] <= QUIET_DB || !far) continue;
    let at = j + 1;
    for (let k = j + 1; k >= j - 1; k--) if (level[k] - ground > 8) at = k;
    attacks.push((first + at) * block);
  }
  return attacks;
}

/** Unpitched sound while time is bent: from the voice before it to the voice after it. Source samples. */
interface Gap {
  after: PitchedSegment | null;
  before: PitchedSegment | null;
  /** The whole stretch in which time is bent. */
  source: number;
  sourceEnd: number;
  pieces: Piece[] | null;
}

/**
 * What lies under the pulses: the recording itself. Where time runs naturally it is copied; where it is bent, unpitched sound is laid in
 * short grains read near their place, with plosives kept rigid at their attack, and pitched sound is left to the pulses. Laid when it
 * is first needed.
 */
export class Ground {
  private readonly copies: Piece[] = [];
  private readonly gaps: Gap[] = [];

  constructor(
    private readonly x: Samples,
    private readonly sampleRate: number,
    segments: readonly PitchedSegment[],
    private readonly line: TimeLine,
  ) {
    const { paces } = line;
    for (let i = 0; i < paces.length; i++) {
      if (paces[i].slope === 1) {
        this.copies.push(this.copyOf(paces[i], paces[i - 1], paces[i + 1], segments));
        continue;
      }
      const source = paces[i].source;
      while (i + 1 < paces.length && paces[i + 1].slope !== 1) i++;
      this.addGaps(source, paces[i].sourceEnd, segments);
    }
  }

  private addGaps(source: number, sourceEnd: number, segments: readonly PitchedSegment[]): void {
    let after: PitchedSegment | null = null;
    const add = (before: PitchedSegment | null) => this.gaps.push({ after, before, source, sourceEnd, pieces: null });
    for (const s of segments) {
      if (s.end <= source) continue;
      if (s.start >= sourceEnd) break;
      if (s.start > source) add(s);
      after = s;
    }
    if (!after || after.end < sourceEnd) add(null);
  }

  /** Adds the recording over output samples [from, to). */
  add(from: number, to: number, out: Float32Array): void {
    const { x } = this;
    for (const piece of this.copies) addPiece(x, piece, from, to, out);
    const reach = 2 * GRAIN_SECONDS * this.sampleRate + 2;
    for (let i = this.firstGap(from - reach); i < this.gaps.length; i++) {
      const gap = this.gaps[i];
      const start = gap.after ? gap.after.end : gap.source;
      if (this.line.forward(start) > to + reach + 0.05 * this.sampleRate) break;
      gap.pieces ??= this.layGap(gap);
      for (const piece of gap.pieces) addPiece(x, piece, from, to, out);
    }
  }

  /** First gap that ends at or after an output sample. */
  private firstGap(u: number): number {
    const { gaps } = this;
    const end = (g: Gap) => this.line.forward(g.before ? g.before.start : g.sourceEnd) + 0.05 * this.sampleRate;
    let low = 0;
    let high = gaps.length;
    while (low < high) {
      const middle = (low + high) >> 1;
      if (end(gaps[middle]) < u) low = middle + 1;
      else high = middle;
    }
    return low;
  }

  private copyOf(
    pace: Pace,
    before: Pace | undefined,
    after: Pace | undefined,
    segments: readonly PitchedSegment[],
  ): Piece {
    const hop = Math.round(GRAIN_SECONDS * this.sampleRate);
    const voiced = (t: number) => segments.some(s => s.start < t && s.end > t);
    const shift = pace.source - pace.output;
    let at = Math.round(pace.output);
    let end = Math.round(pace.output + pace.sourceEnd - pace.source);
    const under = (p: Pace) =>
      Math.round(Math.min(UNDER_VOICE * this.sampleRate, 0.4 * (p.sourceEnd - p.source) * p.slope));
    const voiceBefore = before && voiced(pace.source);
    const voiceAfter = after && voiced(pace.sourceEnd);
    if (voiceBefore) at -= under(before);
    if (voiceAfter) end += under(after);
    return {
      at,
      length: Math.max(0, end - at),
      shift: Math.round(shift),
      fadeIn: before && !voiceBefore ? hop : 0,
      fadeOut: after && !voiceAfter ? hop : 0,
      alikeIn: true,
      alikeOut: true,
    };
  }

  private layGap({ after, before, source: from, sourceEnd }: Gap): Piece[] {
    const { x, sampleRate, line } = this;
    const lastEpoch = after?.epochs.length ? after.epochs[after.epochs.length - 1] : (after?.start ?? from);
    const a = Math.max(from, lastEpoch);
    const b = Math.min(sourceEnd, before?.epochs.length ? before.epochs[0] : (before?.end ?? sourceEnd));
    if (b <= a) return [];
    const to = (t: number) => line.forward(t);
    const hop = Math.round(GRAIN_SECONDS * sampleRate);
    // beside copied sound the grains at the ends are the same sound as the copy
    const copyBefore = a === from && from > 0;
    const copyAfter = b === sourceEnd && sourceEnd < lengthOf(x);
    // knots of the map output -> input; rigid: the piece that begins here keeps natural speed
    const knots: { out: number; source: number; rigid?: boolean }[] = [{ out: to(a), source: a }];
    for (const q of findAttacks(x, sampleRate, a, b)) {
      if (q <= a + 2 * GRAIN_SECONDS * 1000 || q >= b) continue;
      const low = Math.max(a, q - BEFORE_ATTACK * sampleRate);
      const high = Math.min(b, q + AFTER_ATTACK * sampleRate);
      const out = to(q);
      if (out - BEFORE_ATTACK * sampleRate <= knots[knots.length - 1].out) continue;
      knots.push({ out: out - (q - low), source: low, rigid: true }, { out: out + (high - q), source: high });
    }
    // where the speed changes between plosives
    for (const p of line.paces) {
      if (p.source <= a || p.source >= b) continue;
      const i = knots.findIndex(k => k.source > p.source);
      const before = knots[(i < 0 ? knots.length : i) - 1];
      if (!before.rigid && p.output > before.out && (i < 0 || p.output < knots[i].out))
        knots.splice(i < 0 ? knots.length : i, 0, { out: p.output, source: p.source });
    }
    const last = knots[knots.length - 1];
    if (b > last.source && to(b) > last.out) knots.push({ out: to(b), source: b });
    const steps = knots.slice(1).map((stop, k) => {
      const length = stop.out - knots[k].out;
      return length / Math.max(1, Math.round(length / hop));
    });
    const pieces: Piece[] = [];
    for (let k = 0; k + 1 < knots.length; k++) {
      const start = knots[k];
      const stop = knots[k + 1];
      if (start.rigid) {
        const at = Math.round(start.out);
        pieces.push({
          at: at - ATTACK_FADE,
          length: Math.round(stop.out - start.out) + ATTACK_FADE + hop,
          shift: Math.round(start.source) - at,
          fadeIn: ATTACK_FADE,
          fadeOut: hop,
          alikeIn: false,
          alikeOut: false,
        });
        continue;
      }
      const step = steps[k];
      const count = Math.round((stop.out - start.out) / step);
      const speed = (stop.source - start.source) / (stop.out - start.out + 1e-9);
      for (let q = k > 0 ? 1 : 0; q <= count; q++) {
        if (q === count && stop.rigid) continue;
        const centre = start.out + q * step;
        const wander = q > 0 && q < count ? hashNoise(Math.round(centre)) * hop * 0.8 : 0;
        let source = start.source + (centre - start.out) * speed + wander;
        if (stop.rigid) source = Math.min(source, stop.source - step); // never read into the attack early
        const fadeIn = Math.round(step);
        const fadeOut = Math.round(q === count && k + 1 < steps.length ? steps[k + 1] : step);
        pieces.push({
          at: Math.round(centre) - fadeIn,
          length: fadeIn + fadeOut,
          shift: Math.round(source) - Math.round(centre),
          fadeIn,
          fadeOut,
          alikeIn: q === 0 && copyBefore,
          alikeOut: q === count && k + 2 === knots.length && copyAfter,
        });
      }
    }
    return pieces;
  }
}

function addPiece(sound: Samples, p: Piece, from: number, to: number, out: Float32Array): void {
  const low = Math.max(p.at, from, -p.shift);
  const high = Math.min(p.at + p.length, to, lengthOf(sound) - p.shift);
  if (high <= low) return;
  const x = floatsOf(sound, low + p.shift, high + p.shift);
  const inEnd = Math.min(high, Math.max(low, p.at + p.fadeIn));
  const outStart = Math.max(inEnd, Math.min(high, p.at + p.length - p.fadeOut));
  for (let u = low; u < inEnd; u++) {
    const w = Math.sin((0.5 * Math.PI * (u - p.at + 0.5)) / p.fadeIn);
    out[u - from] += (p.alikeIn ? w * w : w) * x[u - low];
  }
  const whole = x.subarray(inEnd - low, outStart - low);
  for (let i = 0, o = inEnd - from; i < whole.length; i++) out[o + i] += whole[i];
  for (let u = outStart; u < high; u++) {
    const w = Math.sin((0.5 * Math.PI * (p.at + p.length - u - 0.5)) / p.fadeOut);
    out[u - from] += (p.alikeOut ? w * w : w) * x[u - low];
  }
}
