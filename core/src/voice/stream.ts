import type { VoiceSource } from './analysis';
import { blend } from './engine';
import { PulseMaker } from './fine';
import { neutralPlan, PlanCurves, type VoicePlan } from './plan';
import { GrowingRun } from './pulses';
import type { Making, Voicing } from './run-pulses';
import { TimeLine } from './timeline';

/** What is asked of a voice as it sounds. */
export interface LiveSetting {
  /** Cents added to the sung pitch, beside what the plan asks. */
  offsetCents: number;
  formantCents: number;
  levelDb: number;
}

/** Share of the way to what is asked that is gone a frame: a step takes about 30 ms. */
const PACE = 0.35;
const SETTLED = 0.01;
/** Voices are opened so long before they begin. */
const SOON_SECONDS = 0.05;

/**
 * A voice played from anywhere on, its pitch, formants and level moved while it sounds. What was asked is written down frame by frame
 * before it is used, so that `plan`, rendered afterwards, gives the very samples that were heard. Time runs naturally. After it has
 * warmed up nothing is allocated, if the analysis is prepared for what it plays.
 */
export class VoiceStream {
  /** What has been asked so far; beyond what was played it is what was given. */
  readonly plan: VoicePlan;
  private readonly curves: PlanCurves;
  private readonly line: TimeLine;
  private readonly making: Making;
  private readonly step: number;
  /** Voices that sound, or are about to; rarely more than one. */
  private sounding: { run: GrowingRun; voicing: Voicing }[] = [];
  private next = 0;
  /** Frames from the first until this one are written down. */
  private known = 0;
  private first = 0;
  private at = 0;
  private voice = new Float32Array(128);
  private now: LiveSetting;

  /**
   * @param base curves to begin with; its time and tone are not used
   * @param from source sample at which it begins; within a voice it begins there too
   */
  constructor(
    private readonly source: VoiceSource,
    private readonly base: VoicePlan | null = null,
    private wish: LiveSetting = { offsetCents: 0, formantCents: 0, levelDb: 0 },
    from = 0,
  ) {
    const frames = base?.offsetCents.length ?? source.frames;
    const plan = neutralPlan(frames, source.hop);
    if (base) plan.offsetCents.set(base.offsetCents);
    plan.active.fill(1);
    plan.formantCents = new Float32Array(frames);
    if (base?.formantCents) plan.formantCents.set(base.formantCents);
    plan.levelDb = new Float32Array(frames);
    if (base?.levelDb) plan.levelDb.set(base.levelDb);
    plan.live = true;
    this.plan = plan;
    this.curves = new PlanCurves(plan, source.sampleRate);
    this.line = TimeLine.of(null, source.length, source.sampleRate);
    this.making = {
      line: this.line,
      makers: Array.from({ length: source.channelCount }, () => new PulseMaker(source.sampleRate)),
    };
    this.step = plan.hop * source.sampleRate;
    this.now = { ...wish };
    this.begin(from);
  }

  /** Plays from a sample on, as a new one would that was asked for what is asked now; nothing of the length of a take is made. */
  restart(from: number): void {
    const { plan, base, first, known } = this;
    for (let k = first; k < known; k++) {
      plan.offsetCents[k] = base?.offsetCents[k] ?? 0;
      plan.formantCents![k] = base?.formantCents?.[k] ?? 0;
      plan.levelDb![k] = base?.levelDb?.[k] ?? 0;
    }
    Object.assign(this.now, this.wish);
    this.sounding.length = 0;
    for (const maker of this.making.makers) maker.forget();
    this.begin(from);
  }

  private begin(from: number): void {
    this.at = from;
    this.first = this.known = Math.max(0, Math.floor(from / this.step) - 60);
    const { segments } = this.source;
    this.next = 0;
    while (this.next < segments.length && segments[this.next].end <= from) this.next++;
  }

  /** Source sample played next. */
  get position(): number {
    return this.at;
  }
  /** Asks for something else from now on; it is approached within some 30 ms. */
  ask(wish: Partial<LiveSetting>): void {
    this.wish = { ...this.wish, ...wish };
  }

  /** Makes the next samples, all channels. @param out as many arrays as the take has channels, of one length */
  process(out: readonly Float32Array[]): void {
    const { source } = this;
    const n = out[0].length;
    const from = this.at;
    const to = from + n;
    if (this.voice.length < n) this.voice = new Float32Array(n);
    for (let c = 0; c < out.length; c++) source.copy(c, from, out[c]);
    this.open(to);
    for (const { run, voicing } of this.sounding) {
      this.know(to + 4 * run.laid.ahead);
      run.layTo(to + run.laid.ahead);
      for (let c = 0; c < out.length; c++) blend(voicing, null, c, from, to, this.voice, out[c]);
    }
    while (this.sounding.length && this.sounding[0].run.laid.v1 <= to) this.sounding.shift();
    this.know(to + 2 * this.step);
    for (let c = 0; c < out.length; c++) for (let i = 0; i < n; i++) out[c][i] *= this.curves.gain(from + i);
    this.at = to;
  }

  /** Opens the voices that begin soon after a sample. */
  private open(to: number): void {
    const { segments, sampleRate } = this.source;
    for (; this.next < segments.length; this.next++) {
      const s = segments[this.next];
      if (s.start - SOON_SECONDS * sampleRate > to) return;
      if (s.epochs.length < 3) continue;
      const run = new GrowingRun(s, this.curves, this.line);
      const { source, making, curves } = this;
      this.sounding.push({ run, voicing: { source, making, curves, segment: s, laid: run.laid } });
    }
  }

  /** Writes down what is asked of the frames up to a sample; those before are as they were played. */
  private know(to: number): void {
    const last = Math.min(this.plan.offsetCents.length - 1, Math.ceil(to / this.step) + 1);
    const { now, wish, plan } = this;
    for (; this.known <= last; this.known++) {
      now.offsetCents = towards(now.offsetCents, wish.offsetCents);
      now.formantCents = towards(now.formantCents, wish.formantCents);
      now.levelDb = towards(now.levelDb, wish.levelDb);
      plan.offsetCents[this.known] += now.offsetCents;
      plan.formantCents![this.known] += now.formantCents;
      plan.levelDb![this.known] += now.levelDb;
    }
  }
}

const towards = (now: number, wanted: number): number =>
  Math.abs(wanted - now) < SETTLED ? wanted : now + (wanted - now) * PACE;
