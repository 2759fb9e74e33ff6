import { transfer } from 'comlink';
import {
  analyseVoice,
  asCompared,
  clickGains,
  clicksOf,
  asWhole,
  correctReading,
  framePeaks,
  floatsOf,
  headLength,
  LayerShelf,
  lengthOf,
  layOut,
  learnLines,
  lineInMidi,
  mixDown,
  noteFacts,
  planSurroundings,
  planTake,
  readTake,
  renderSpan,
  splitTake,
  stretchesFrom,
  Stopped,
  TakePlanner,
  takeSound,
  toneOf,
  withoutClicks,
  type Click,
  type ClickGain,
  type Edits,
  type FrameSpan,
  type Misfit,
  type NoteFacts,
  type Range,
  type Reading,
  type Samples,
  type ReadingCorrections,
  type Span,
  type SplitTake,
  type Surroundings,
  type TakeSound,
  type TakeSurroundings,
  type TimeMap,
  type VoiceAnalysis,
} from '@essim/core';
import { STATUS } from '../player/mixer';
import { TILE, tileMemory, TileWriter, type TileMemory } from '../player/tiles';
import type { HeardAt } from '../player/urgency';
import type { LiveNote } from '../player/held-voice';
import { shared, sharedReading } from '../shared-memory';
import { practicePiece } from './practice';
import { readTogether } from './read-together';
import { TileRenderer, type Left, type Playhead } from './tile-renderer';

/** What corrections change of a reading; the rest is as it was read. */
export type CorrectedParts = Pick<Reading, 'f0' | 'notes' | 'noises' | 'spoken' | 'keys' | 'tuningCents'>;

/** What the page needs to know of a take once it is read. */
export interface PreparedTake {
  /** Null while nothing is corrected. */
  corrected: CorrectedParts | null;
  assumed: Span[];
  misfits: Misfit[];
  notes: NoteFacts[];
  /** MIDI per frame, NaN where nothing is sung. */
  sungLine: Float32Array;
}

export interface PlannedTake {
  /** Edited line, MIDI per frame, NaN where nothing is sung. */
  line: Float32Array;
  /** What the edits turn up or down, dB per frame; absent where nothing is. */
  gainDb?: Float32Array;
  /** Frames in which the line is another than before; absent: all of it may be. */
  dirty?: FrameSpan;
  /** With the first edit: where the take's sound as edited is found from now on. */
  tiles?: TileMemory;
}

/** Tiles reach so much further than a take, which may be held on past its end: memory nobody writes to is never really taken. */
const SPARE_SECONDS = 8;

/** How long the renderer rests, by what is left, ms: while there is nothing for the moment, the playhead is looked at so often. */
const REST_MS: Record<Left, number> = { more: 0, soon: 10, nothing: 60 };

/** Nothing was rendered for so long: what rendering needs and can be made again is given back, ms. */
const IDLE_FOR_MS = 3000;

/** How long a take that was read is left alone before what may be asked of it is made ready, and after each run of it, ms. */
const IDLE_MS = { first: 1500, next: 30 };

/** One take's computation: reading, plan and rendering, off the main thread. */
export class TakeJob {
  private channels: Samples[] = [];
  private sampleRate = 48000;
  private reading: Reading | null = null;
  private split: SplitTake | null = null;
  private planner: TakePlanner | null = null;
  private asked: TakeSurroundings | null = null;
  private around: Surroundings = {};
  private peakDb: Float32Array | null = null;
  private clicks: Click[] | null = null;
  private cleaned: { of: string; gains: ClickGain[]; channels: Samples[] } | null = null;
  private analysis: VoiceAnalysis | null = null;
  /** Whether the analysis is of the present reading. */
  private analysed = false;
  private renderer: TileRenderer | null = null;
  private tiles: TileWriter | null = null;
  private playhead: Playhead = { position: () => 0, loop: () => null };
  private heard: HeardAt[] = [];
  private working = false;
  private goOn: () => void = () => {};

  /** @param shelf of the thread: takes that share one keep no more layers together than one alone */
  constructor(private readonly shelf = new LayerShelf()) {}

  open(channels: Samples[], sampleRate: number): void {
    this.channels = channels;
    this.sampleRate = sampleRate;
    this.peakDb = this.clicks = this.cleaned = null;
  }

  /** Says where the song plays, in the player's shared status, and where in it this take is heard. */
  attend(status: Float64Array, heard: HeardAt[]): void {
    this.playhead = {
      position: () => status[STATUS.position],
      loop: () => {
        const [from, to] = [status[STATUS.loopFrom], status[STATUS.loopTo]];
        return to > from ? { from, to } : null;
      },
    };
    this.heard = heard;
    this.renderer?.setHeard(heard);
  }

  /** @throws the reading's errors; their messages are for the user */
  read(range: Range, stop: Int32Array, onProgress: (share: number) => void): Reading {
    const reading = readTake(this.mono(), this.sampleRate, {
      range,
      onProgress: share => {
        onProgress(share);
        return Atomics.load(stop, 0) === 0;
      },
    });
    return sharedReading(reading);
  }

  /** The same on several threads, where the take is long and the machine has them. */
  async readTogether(range: Range, stop: Int32Array, onProgress: (share: number) => void): Promise<Reading> {
    const reading = await readTogether(this.channels.map(shared), this.sampleRate, range, share => {
      if (Atomics.load(stop, 0) !== 0) throw new Stopped('reading stopped');
      onProgress(share);
    });
    return reading ? sharedReading(reading) : this.read(range, stop, onProgress);
  }

  /** Reads something made up: a program is slow until it has run for a moment, and the first take is waited for. */
  practise(): void {
    readTake(practicePiece(this.sampleRate), this.sampleRate);
  }

  /** The first phrases of a long take, as a reading in which nothing is heard after them; null for a short take, or when they are empty. */
  readHead(range: Range): { reading: Reading; until: number } | null {
    const x = this.mono();
    const length = headLength(x, this.sampleRate);
    if (!length) return null;
    const head = readTake(x.subarray(0, length), this.sampleRate, { range });

    return { reading: sharedReading(asWhole(head, x.length / this.sampleRate)), until: length / this.sampleRate };
  }

  /** Takes a reading, or another, with what was put right in it; what is rendered by the last one is rendered again with the next plan. */
  prepare(auto: Reading, corrections: ReadingCorrections): PreparedTake {
    const { reading, assumed, misfits } = correctReading(auto, corrections);
    this.reading = reading;
    this.split = splitTake(reading, this.split ?? undefined);
    this.planner = null;
    this.analysed = false;
    this.clicks = null;
    void this.learn(this.split);
    const { f0, notes, noises, spoken, keys, tuningCents } = reading;
    return {
      corrected: reading === auto ? null : { f0, notes, noises, spoken, keys, tuningCents },
      assumed,
      misfits,
      notes: noteFacts(this.split),
      sungLine: lineInMidi(reading),
    };
  }

  /** The reading as a plain tone with the voice's loudness, in shared memory. */
  tone(): Float32Array {
    const { f0, levelDb } = this.ready().split.reading;
    return shared(toneOf(f0, levelDb, this.sampleRate, lengthOf(this.channels[0])));
  }

  /**
   * Plans the take with these edits; its tiles are rendered in the background, those heard next first.
   * @param around what surrounds it now; undefined: as the last time
   */
  plan(edits: Edits, around?: TakeSurroundings | null): PlannedTake {
    const { split } = this.ready();
    if (around !== undefined || !this.planner) this.asked = around ?? (around === null ? null : this.asked);
    if (around !== undefined || !this.planner) this.around = this.surrounded(this.asked, split);
    const { analysis } = this.ready();
    const anew = !this.planner;
    this.planner ??= new TakePlanner(split);
    const planned = this.planner.plan(edits, this.around);
    const length = this.heardLength(planned.voice);
    const line = midiLine(planned.line, split.voiced);
    let tiles: TileMemory | undefined;
    // a take nobody edited has no tiles
    const { active, time, levelDb, formantCents, tone, patched } = planned.voice;
    const asks = time || levelDb || formantCents || tone || patched || active.some(a => a === 1);
    // what is held on for longer than there is room for begins anew
    if (this.tiles && length > this.tiles.count * TILE) this.renderer = this.tiles = null;
    if (!this.renderer && asks) {
      tiles = tileMemory(length + SPARE_SECONDS * this.sampleRate, this.channels.length);
      this.tiles = new TileWriter(tiles);
      this.renderer = new TileRenderer(this.tiles, {
        position: () => this.playhead.position(),
        loop: () => this.playhead.loop(),
      });
      this.renderer.setHeard(this.heard);
    }
    this.renderer?.plan(analysis, planned.voice);
    void this.work();
    const gainDb = levelDb?.slice();
    const dirty = anew ? {} : { dirty: planned.dirty };
    return transfer({ line, ...dirty, ...(gainDb ? { gainDb } : {}), ...(tiles ? { tiles } : {}) }, [
      line.buffer,
      ...(gainDb ? [gainDb.buffer] : []),
    ]);
  }

  /** Samples a plan makes of the take. */
  private heardLength({ time }: { time?: TimeMap | null }): number {
    const length = lengthOf(this.channels[0]);
    return time ? Math.max(length, Math.ceil(time.forward(length / this.sampleRate) * this.sampleRate)) : length;
  }

  /** What the sound tells beside the reading. */
  sound(): TakeSound {
    const { split } = this.ready();
    const sound = takeSound(this.floats(), split.reading);
    return transfer(
      sound,
      [sound.loudnessDb, sound.colour.envelope, sound.colour.power].map(v => v.buffer),
    );
  }

  /** What surrounds the take as the planner takes it. */
  private surrounded(around: TakeSurroundings | null, split: SplitTake): Surroundings {
    const { hop } = split.reading;
    const peaks = () => (this.peakDb ??= framePeaks(this.floats(), this.sampleRate, hop, split.sung.length));
    return { ...planSurroundings(around, split), peaks, patched: this.clean(around, split) };
  }

  /** Takes clicks out of the sound as it is asked; what was analysed of it before no longer holds. */
  private clean(around: TakeSurroundings | null, { reading }: SplitTake): ClickGain[] {
    const asked = around?.clicks;
    if (asked) this.clicks ??= clicksOf(this.mono(), reading);
    const gains = asked ? clickGains(this.clicks!, asked.track, asked.take) : [];
    const of = JSON.stringify(gains);
    if (this.cleaned?.of === of) return this.cleaned.gains;
    if (this.cleaned || gains.length) {
      this.analysis?.rest();
      this.analysis = null;
      this.analysed = false;
    }
    this.cleaned = { of, gains, channels: withoutClicks(this.channels, this.sampleRate, gains) };
    return gains;
  }

  /** Nothing more is asked of this take. */
  close(): void {
    this.analysis?.rest();
    this.renderer = this.tiles = null;
    this.analysis = this.split = this.planner = this.reading = null;
    this.channels = [];
    this.goOn();
  }

  /** Makes ready what tuning the take as a whole needs, a little at a time. */
  private async learn(split: SplitTake): Promise<void> {
    const rest = (ms: number) => new Promise(go => setTimeout(go, ms));
    const lines = learnLines(split);
    await rest(IDLE_MS.first);
    while (this.split === split && !lines.next().done) await rest(IDLE_MS.next);
  }

  /** Renders tile after tile, letting other calls in between; then watches the playhead. Asked again while it rests, it goes on at once. */
  private async work(): Promise<void> {
    if (this.working) return this.goOn();
    this.working = true;
    let busyAt = performance.now();
    let rested = false;
    while (this.renderer) {
      const left = this.renderer.work();
      const now = performance.now();
      if (left === 'more') {
        busyAt = now;
        rested = false;
      } else if (!rested && now - busyAt >= IDLE_FOR_MS) {
        this.analysis?.rest();
        this.renderer.rest();
        rested = true;
      }
      const wholly = left === 'nothing' && !this.tiles!.anyLate;
      if (wholly && rested) break;
      await new Promise<void>(go => {
        const timer = setTimeout(go, wholly ? IDLE_FOR_MS : REST_MS[left]);
        this.goOn = () => {
          clearTimeout(timer);
          go();
        };
      });
    }
    this.working = false;
  }

  /** A span of the take with these edits, ready to be sung live. Source samples. */
  live(edits: Edits, around: TakeSurroundings | null, from: number, to: number): LiveNote {
    const { split } = this.ready();
    const { voice } = planTake(split, edits, this.surrounded(around, split));
    const { analysis } = this.ready();
    const snapshot = analysis.snapshot(from, to);
    const step = voice.hop * this.sampleRate;
    const firstFrame = Math.max(0, Math.floor(snapshot.from / step));
    const lastFrame = Math.min(voice.offsetCents.length, Math.ceil((snapshot.from + snapshot.source[0].length) / step));
    return { snapshot, from, to, firstFrame, offsetCents: voice.offsetCents.slice(firstFrame, lastFrame) };
  }

  /** The whole take with these edits. */
  render(edits: Edits, around: TakeSurroundings | null = null): Float32Array[] {
    const { length, put } = this.rendering(edits, around);
    const out = this.channels.map(() => new Float32Array(length));
    put(0, length, out);
    return transfer(
      out,
      out.map(c => c.buffer),
    );
  }

  /** The same in one channel, as it is compared with others; not all of it is held at once. */
  renderCompared(edits: Edits, around: TakeSurroundings | null): Float32Array {
    const { length, put } = this.rendering(edits, around);
    const sound = stretchesFrom(length, (from, to) => {
      const out = this.channels.map(() => new Float32Array(to - from));
      put(from, to, out);
      return mixDown(out);
    });
    const low = asCompared(sound, this.sampleRate);
    return transfer(low, [low.buffer]);
  }

  /** The take with these edits, to be put wherever samples [from, to) of it are wanted. */
  private rendering(edits: Edits, around: TakeSurroundings | null) {
    const { split } = this.ready();
    const { voice } = planTake(split, edits, this.surrounded(around, split));
    const { analysis } = this.ready();
    const layout = layOut(analysis, voice, this.renderer?.latest);
    const known = this.renderer?.rendered(layout);
    const put = (from: number, to: number, out: Float32Array[]) => {
      for (let at = from; at < to;) {
        const tile = Math.floor(at / TILE);
        const [start, end] = [at, Math.min(to, (tile + 1) * TILE)];
        const pieces = out.map(o => o.subarray(start - from, end - from));
        const whole = start === tile * TILE && (end === start + TILE || end === layout.length);
        if (!whole || !known?.(tile, pieces)) pieces.forEach((o, c) => renderSpan(analysis, layout, c, start, end, o));
        at = end;
      }
    };
    return { length: layout.length, put };
  }

  private floats(): Float32Array[] {
    return this.channels.map(c => floatsOf(c));
  }

  private mono(): Float32Array {
    return mixDown(this.floats());
  }

  private ready(): { split: SplitTake; analysis: VoiceAnalysis } {
    if (!this.split || !this.reading) throw new Error('the take is not read yet');
    if (!this.analysis || !this.analysed) {
      const { f0, hop } = this.reading;
      const channels = this.cleaned?.channels ?? this.channels;
      this.analysis = analyseVoice(channels, this.sampleRate, f0, hop, this.analysis ?? undefined, this.shelf);
      this.analysed = true;
    }
    return { split: this.split, analysis: this.analysis };
  }
}

/** Cents a frame as MIDI, NaN where nothing is sung. */
function midiLine(cents: Float64Array, voiced: Uint8Array): Float32Array {
  return Float32Array.from(cents, (c, k) => (voiced[k] ? c / 100 : NaN));
}
