import type { TimeMap } from '../song/timemap';
import { centsToRatio, dbToGain, type Cents, type Span } from '../units';

/**
 * What the engine is to do. Curves are in source time; frame k is centred at k * hop seconds and stands for the straight line to its
 * neighbours. Where nothing is asked the source comes out bit for bit.
 */
export interface VoicePlan {
  hop: number;
  /** Cents added to the sung pitch, per frame. */
  offsetCents: Float32Array;
  /** 1 where an edit holds, even if its offset passes zero. */
  active: Uint8Array;
  /** Cents by which the formants of pitched sound are moved, per frame; absent: nowhere. */
  formantCents?: Float32Array;
  /** Level change of everything, dB per frame; absent: none. */
  levelDb?: Float32Array;
  /** Colour change of everything; absent: none. */
  tone?: ToneCurve;
  /** Stretches of the source that are other than they were sung, s: clicks taken out before it was analysed. Absent: none. */
  patched?: readonly Span[];
  /** Source seconds to output seconds, slopes .25 to 4; absent: as sung. */
  time?: TimeMap | null;
  /**
   * Frames at which joined notes meet, rising. Loudness is kept from one to the next, and a change on one side of a join is, wherever
   * the pitch allows it, not felt on the other.
   */
  joins?: ArrayLike<number>;
  /** Loudness is kept by what was just sung instead of by whole notes: for plans that are only known as far as they have been heard. */
  live?: boolean;
}

/** A slowly varying filter: gains at fixed frequencies, frame by frame. */
export interface ToneCurve {
  /** Centres of the bands, Hz, rising. */
  bands: Float32Array;
  /** dB, frame after frame: bands.length numbers a frame. */
  gainsDb: Float32Array;
}

/** A plan that changes nothing. */
export const neutralPlan = (frames: number, hop: number): VoicePlan => ({
  hop,
  offsetCents: new Float32Array(frames),
  active: new Uint8Array(frames),
});

/** The plan with nothing in its curves that is no number: there it asks nothing. The plan itself when all are. */
export function finitePlan(plan: VoicePlan): VoicePlan {
  const { offsetCents, formantCents, levelDb, tone } = plan;
  const sound = [offsetCents, formantCents, levelDb, tone?.gainsDb].every(c => !c || c.every(Number.isFinite));
  if (sound) return plan;
  const cleaned = (c: Float32Array) => c.map(v => (Number.isFinite(v) ? v : 0));
  return {
    ...plan,
    offsetCents: cleaned(offsetCents),
    ...(formantCents ? { formantCents: cleaned(formantCents) } : {}),
    ...(levelDb ? { levelDb: cleaned(levelDb) } : {}),
    ...(tone ? { tone: { ...tone, gainsDb: cleaned(tone.gainsDb) } } : {}),
  };
}

/** The curves of a plan at source samples. */
export class PlanCurves {
  private readonly step: number;
  private readonly last: number;
  constructor(
    readonly plan: VoicePlan,
    sampleRate: number,
  ) {
    this.step = plan.hop * sampleRate;
    this.last = plan.offsetCents.length - 1;
  }

  private at(curve: Float32Array, t: number): number {
    const q = t / this.step;
    if (!(q > 0)) return curve[0] ?? 0;
    if (q >= this.last) return curve[this.last] ?? 0;
    const k = Math.floor(q);
    return curve[k] + (curve[k + 1] - curve[k]) * (q - k);
  }

  /** The frame nearest to a sample. */
  frame(t: number): number {
    return Math.max(0, Math.min(this.last, Math.round(t / this.step)));
  }

  offset(t: number): Cents {
    return this.at(this.plan.offsetCents, t);
  }

  /** Output pitch over the sung one. */
  ratio(t: number): number {
    return centsToRatio(this.at(this.plan.offsetCents, t));
  }

  formant(t: number): Cents {
    return this.plan.formantCents ? this.at(this.plan.formantCents, t) : 0;
  }

  /** Output formants over the sung ones. */
  formantRatio(t: number): number {
    return this.plan.formantCents ? centsToRatio(this.at(this.plan.formantCents, t)) : 1;
  }

  /** Amplitude of everything. */
  gain(t: number): number {
    return this.plan.levelDb ? dbToGain(this.at(this.plan.levelDb, t)) : 1;
  }

  /** Whether pitched sound is made anew here, time apart. */
  edited(t: number): boolean {
    const k = this.frame(t);
    return this.plan.active[k] === 1 || (this.plan.formantCents?.[k] ?? 0) !== 0;
  }

  /** Where joined notes meet, samples, within [from, to]. */
  joinsBetween(from: number, to: number): number[] {
    const out: number[] = [];
    const { joins } = this.plan;
    if (!joins) return out;
    let low = 0;
    let high = joins.length;
    while (low < high) {
      const middle = (low + high) >> 1;
      if (joins[middle] * this.step < from) low = middle + 1;
      else high = middle;
    }
    for (; low < joins.length && joins[low] * this.step <= to; low++) out.push(joins[low] * this.step);
    return out;
  }
}
