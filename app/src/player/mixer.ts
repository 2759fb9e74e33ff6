import { clipGain, copySamples, lastAtMost, lengthOf, TruePeak, type ClipSamples, type Samples } from '@essim/core';
import { HeldVoice, type HeldStretch } from './held-voice';
import { isLate, placeOf, slotOf, TILE, type TileMemory } from './tiles';

/** Mixes a song's tracks sample by sample and takes the microphone in. No browser in here: the worklet only wraps it, and tests drive it. */

/** A take's sound. */
export interface MixerSource {
  id: string;
  /** Recorded channels, never written. */
  sung: Samples[];
  /** What the edits make of them, as far as it is rendered; absent while there are none. */
  tiles?: TileMemory;
  /** Two microphones of one singer: heard together in the middle, not left and right. */
  linked?: boolean;
}

export interface MixerTrack {
  id: string;
  clips: (ClipSamples & { sourceId: string })[];
}

export type MixerMessage =
  | { kind: 'sources'; sources: MixerSource[] }
  | { kind: 'tracks'; tracks: MixerTrack[] }
  | { kind: 'gains'; gains: Record<string, [number, number]> }
  | { kind: 'compare'; edited: boolean }
  | { kind: 'loop'; from: number; to: number }
  /** Song samples at which a click sounds; accents are 1 on the first of a bar. */
  | { kind: 'clicks'; at: number[]; accents: number[]; on: boolean }
  /** From `at` on; `countIn` samples of clicks before it. `frame`: not before this frame of the audio clock. */
  | { kind: 'play'; at: number; countIn?: number; frame?: number }
  | { kind: 'seek'; at: number }
  /** Sounds a moment at a place, while nothing plays. */
  | { kind: 'scrub'; at: number }
  | { kind: 'stop' }
  /** What tracks sing while keys are held, from now on. */
  | { kind: 'held'; stretches: Record<string, HeldStretch> }
  /** A track sings a pitch in place of its rendering; null: no more. `pressed`: when the key went down, audio clock's frame. */
  | { kind: 'hold'; track: string; midi: number | null; pressed: number }
  | { kind: 'record'; on: boolean };

/** What came in at the microphone. */
export interface Recorded {
  /** Song sample of the first one; before the song's place while counting in. */
  position: number;
  /** How often the loop has come round since recording began. */
  round: number;
  samples: Float32Array;
}

/** Places in the shared status the page reads each frame. */
export const STATUS = {
  position: 0,
  playing: 1,
  peakLeft: 2,
  peakRight: 3,
  inputPeak: 4,
  /** Samples at full scale since recording began. */
  inputClipped: 5,
  recording: 6,
  /** Song samples played round and round; equal when there is no loop. */
  loopFrom: 7,
  loopTo: 8,
  /** Blocks since the start in which a track sounded by an older rendering or as sung because the newest was not ready. */
  late: 9,
  /** Highest true peak of both channels since it began to play, linear. */
  truePeak: 10,
  /** Samples from the last key that was pressed to the end of the block in which it begins to sound. */
  heldDelay: 11,
  /** Peak of the first track, those of the others after it. */
  tracks: 16,
  size: 16 + 64,
} as const;
/** Tracks that have a meter. */
const METERS = STATUS.size - STATUS.tracks;

/** Where a clip's sound was read last, so that it goes over smoothly when it is read elsewhere. */
interface Reading {
  tile: number;
  slot: number;
  late: boolean;
  /** What is still dying away: a rendering that was replaced, or what went on beyond a tile's end. */
  old: readonly Samples[];
  oldBase: number;
  oldLeft: number;
}

interface Line extends MixerTrack {
  reads: Reading[];
  peak: number;
  left: number;
  right: number;
  wantedLeft: number;
  wantedRight: number;
  /** Sings what is held on keys. */
  held: HeldVoice | null;
}

interface Source extends MixerSource {
  /** Gain of the take as sung in the comparison. */
  match: number;
}

const FADE_SECONDS = 0.006;
const METER_FALL = 0.9995;
const GLIDE = 0.004;
const CLICK_SECONDS = 0.045;
const CLICK_GAIN = 0.35;
const CHUNK = 4096;
const CLIPPED = 0.999;
/** A moment heard while scrubbing, its soft end, and how soon another may follow. */
const SCRUB_SECONDS = 0.11;
const SCRUB_FADE = 0.02;
const SCRUB_AGAIN = 0.045;
/** Samples that are made at once, at most. */
const LONGEST_BLOCK = 2048;
/** Fall of a track's meter a block. */
const TRACK_FALL = METER_FALL ** 128;

const stereo = () => [new Float32Array(LONGEST_BLOCK), new Float32Array(LONGEST_BLOCK)] as const;

/** Reads a stretch of one or two channels; zeros beyond their ends. */
function take(from: readonly Samples[], at: number, count: number, to: readonly Float32Array[]): void {
  for (let c = 0; c < Math.min(from.length, to.length); c++) copySamples(from[c], at, count, to[c]);
}

const unread = (): Reading => ({ tile: -2, slot: -1, late: false, old: [], oldBase: 0, oldLeft: 0 });

export class Mixer {
  private lines: Line[] = [];
  private sources = new Map<string, Source>();
  private position = 0;
  private playing = false;
  private waitFrame = 0;
  private loop = { from: 0, to: 0 };
  /** Before this position only clicks sound. */
  private begin = -Infinity;
  private clicks = { at: [] as number[], accents: [] as number[], on: false };
  private edited = 1;
  private wantedEdited = 1;
  /** Where playing went on before a jump, still fading out. */
  private tail = { position: 0, left: 0, lines: [] as Line[] };
  private gain = 0;
  private scrubbed = { position: 0, left: 0, next: -1 };
  private late = 0;
  /** When the key that is not heard yet was pressed, audio clock's frame; -1: none. */
  private pressed = -1;
  private readonly fade: number;
  private peaks = [0, 0];
  private readonly true: [TruePeak, TruePeak];
  private inputPeak = 0;
  private recording = false;
  private taken = { position: 0, round: 0, samples: new Float32Array(CHUNK), filled: 0 };
  private readonly mixes: Float32Array;
  /** What is read of a clip in a block: as it sounds, as it is sung, and what is dying away; left and right of each. */
  private readonly now = stereo();
  private readonly sung = stereo();
  private readonly old = stereo();

  constructor(
    private readonly sampleRate: number,
    private readonly status: Float64Array,
    private readonly onRecorded: (r: Recorded) => void = () => {},
  ) {
    this.fade = Math.max(16, Math.round(FADE_SECONDS * sampleRate));
    this.mixes = new Float32Array(2 * LONGEST_BLOCK);
    this.true = [new TruePeak(sampleRate), new TruePeak(sampleRate)];
  }

  receive(m: MixerMessage): void {
    switch (m.kind) {
      case 'sources':
        this.sources = new Map(
          m.sources.map(s => [s.id, { ...s, match: this.sources.get(s.id)?.match ?? s.tiles?.match[0] ?? 1 }]),
        );
        return;
      case 'tracks': {
        if (this.playing) this.leave();
        const old = new Map(this.lines.map(l => [l.id, l]));
        this.lines = m.tracks.map(t => {
          const { left = 0, right = 0, wantedLeft = 0, wantedRight = 0, peak = 0, held = null } = old.get(t.id) ?? {};
          return { ...t, reads: t.clips.map(unread), peak, left, right, wantedLeft, wantedRight, held };
        });
        return;
      }
      case 'gains':
        for (const line of this.lines) [line.wantedLeft, line.wantedRight] = m.gains[line.id] ?? [0, 0];
        if (!this.playing) for (const line of this.lines) [line.left, line.right] = [line.wantedLeft, line.wantedRight];
        return;
      case 'compare':
        this.wantedEdited = m.edited ? 1 : 0;
        if (!this.playing && this.scrubbed.left <= 0) this.edited = this.wantedEdited;
        return;
      case 'loop':
        this.loop = { from: m.from, to: m.to };
        this.status[STATUS.loopFrom] = m.from;
        this.status[STATUS.loopTo] = m.to;
        return;
      case 'clicks':
        this.clicks = { at: m.at, accents: m.accents, on: m.on };
        return;
      case 'play':
        if (this.playing) this.leave();
        this.begin = m.countIn ? m.at : -Infinity;
        this.position = m.at - (m.countIn ?? 0);
        this.waitFrame = m.frame ?? 0;
        this.playing = true;
        for (const t of this.true) t.peak = 0;
        this.taken.round = 0;
        return;
      case 'seek':
        if (this.playing) this.leave();
        this.position = m.at;
        this.begin = -Infinity;
        this.status[STATUS.position] = m.at;
        return;
      case 'scrub':
        if (this.playing) return this.receive({ kind: 'seek', at: m.at });
        this.position = m.at;
        this.scrubbed.next = m.at;
        this.status[STATUS.position] = m.at;
        return;
      case 'stop':
        if (this.playing) this.leave();
        this.playing = false;
        this.flush();
        this.recording = false;
        this.status[STATUS.recording] = 0;
        return;
      case 'held':
        for (const line of this.lines) {
          const stretch = m.stretches[line.id] as HeldStretch | undefined;
          const midi = line.held?.midi ?? null;
          line.held = stretch ? new HeldVoice(this.sampleRate, stretch) : null;
          if (midi !== null) line.held?.hold(midi, this.position);
        }
        return;
      case 'hold': {
        const line = this.lines.find(l => l.id === m.track);
        line?.held?.hold(m.midi, this.position);
        if (line?.held && m.midi !== null) this.pressed = m.pressed;
        return;
      }
      case 'record':
        if (!m.on) this.flush();
        this.recording = m.on;
        this.status[STATUS.recording] = m.on ? 1 : 0;
        this.status[STATUS.inputClipped] = 0;
        return;
    }
  }

  /** Lets the sound at the present place die away while another begins. */
  private leave(): void {
    this.tail = { position: this.position, left: this.fade, lines: this.lines };
    this.gain = 0;
    this.scrubbed.left = 0;
    this.scrubbed.next = -1;
    this.forget();
  }

  /** Reads every clip afresh, with nothing to go over from. */
  private forget(): void {
    for (const line of this.lines)
      for (const read of line.reads) {
        read.tile = -2;
        read.oldLeft = 0;
      }
  }

  /** Fills one block; silence when nothing plays. @param frame the audio clock at its start @param input the microphone, when it is open */
  process(left: Float32Array, right: Float32Array, frame = 0, input?: Float32Array): void {
    const n = left.length;
    left.fill(0);
    right.fill(0);
    if (input) for (let i = 0; i < n; i++) this.inputPeak = Math.max(Math.abs(input[i]), this.inputPeak * METER_FALL);
    else this.inputPeak *= METER_FALL ** n;
    this.glide(n);
    this.fadeTail(left, right, 0);
    if (!this.playing && (this.scrubbed.left > 0 || this.scrubbed.next >= 0)) this.scrub(left, right);
    for (const line of this.lines) line.peak *= TRACK_FALL;
    let i = this.playing ? Math.max(0, Math.min(n, this.waitFrame - frame)) : n;
    while (i < n) {
      let count = n - i;
      if (this.loop.to > this.loop.from && this.position < this.loop.to)
        count = Math.min(count, this.loop.to - this.position);
      if (this.position < this.begin) count = Math.min(count, this.begin - this.position);
      if (input && this.recording) this.take(input, i, count);
      const counting = this.position < this.begin;
      for (let k = 0; k < count; k++) {
        if (!counting) this.gain = Math.min(1, this.gain + 1 / this.fade);
        this.mixes[LONGEST_BLOCK + i + k] = this.gain;
      }
      if (!counting) this.render(this.lines, this.position, count, left, right, i, LONGEST_BLOCK + i, true);
      if (this.clicks.on || counting) this.click(count, left, right, i);
      this.position += count;
      i += count;
      if (this.loop.to > this.loop.from && this.position === this.loop.to) {
        this.leave();
        this.position = this.loop.from;
        this.flush();
        this.taken.round++;
        this.fadeTail(left, right, i);
      }
    }
    for (let k = 0; k < n; k++) {
      this.peaks[0] = Math.max(Math.abs(left[k]), this.peaks[0] * METER_FALL);
      this.peaks[1] = Math.max(Math.abs(right[k]), this.peaks[1] * METER_FALL);
    }
    if (!this.playing && this.tail.left <= 0) this.gain = 0;
    this.status[STATUS.position] = this.position;
    this.status[STATUS.playing] = this.playing ? 1 : 0;
    this.status[STATUS.peakLeft] = this.peaks[0];
    this.status[STATUS.peakRight] = this.peaks[1];
    if (this.playing) this.true.forEach((t, c) => t.take(c ? right : left));
    this.status[STATUS.truePeak] = Math.max(this.true[0].peak, this.true[1].peak);
    this.status[STATUS.inputPeak] = this.inputPeak;
    this.status[STATUS.late] = this.late;
    if (this.pressed >= 0 && this.playing) {
      // it sounds from somewhere in this block on: told by the block's end
      this.status[STATUS.heldDelay] = Math.max(0, frame - this.pressed) + n;
      this.pressed = -1;
    }
    for (let k = 0; k < METERS && k < this.lines.length; k++)
      this.status[STATUS.tracks + k] = this.lines[k].peak > 1e-6 ? this.lines[k].peak : 0;
  }

  /** Goes on with the moment that is being scrubbed over. */
  private scrub(left: Float32Array, right: Float32Array): void {
    const s = this.scrubbed;
    const whole = Math.round(SCRUB_SECONDS * this.sampleRate);
    const soft = Math.round(SCRUB_FADE * this.sampleRate);
    if (s.next >= 0 && (s.left <= 0 || whole - s.left >= SCRUB_AGAIN * this.sampleRate)) {
      // what still sounds of the moment before dies away under this one
      if (s.left > 0) {
        this.tail = { position: s.position, left: this.fade, lines: this.lines };
        this.fadeTail(left, right, 0);
      }
      this.scrubbed = { position: s.next, left: whole, next: -1 };
      this.forget();
      return this.scrub(left, right);
    }
    const count = Math.min(left.length, s.left);
    for (let i = 0; i < count; i++)
      this.mixes[LONGEST_BLOCK + i] = Math.min(1, (whole - s.left + i) / this.fade, (s.left - i) / soft);
    this.render(this.lines, s.position, count, left, right, 0, LONGEST_BLOCK, true);
    s.position += count;
    s.left -= count;
  }

  /** Goes on with the sound that is dying away, from out[o] to the block's end. */
  private fadeTail(left: Float32Array, right: Float32Array, o: number): void {
    const count = Math.min(left.length - o, this.tail.left);
    if (count <= 0) return;
    for (let i = 0; i < count; i++) this.mixes[LONGEST_BLOCK + i] = (this.tail.left - i) / this.fade;
    this.render(this.tail.lines, this.tail.position, count, left, right, o, LONGEST_BLOCK, false);
    this.tail.position += count;
    this.tail.left -= count;
    if (this.tail.left <= 0) this.tail.lines = [];
  }

  /** Moves levels and the edited share towards what is wanted; the share's values of this block go to mixes[0..n). */
  private glide(n: number): void {
    const step = 1 / this.fade;
    for (let i = 0; i < n; i++) {
      this.edited += Math.max(-step, Math.min(step, this.wantedEdited - this.edited));
      this.mixes[i] = this.edited;
    }
  }

  /** Adds lines from a song position to out[o..o+count), each sample times mixes[env + i]. */
  private render(
    lines: Line[],
    position: number,
    count: number,
    left: Float32Array,
    right: Float32Array,
    o: number,
    env: number,
    main: boolean,
  ): void {
    let late = false;
    for (const line of lines) {
      const held = main && line.held?.sounds ? line.held : null;
      const sounds = !held && line.left + line.right + line.wantedLeft + line.wantedRight > 0;
      if (held) this.sing(line, held, position, count, left, right, o, env);
      for (let c = 0; c < line.clips.length; c++) {
        const clip = line.clips[c];
        const source = this.sources.get(clip.sourceId);
        if (!source) continue;
        const { sung, tiles } = source;
        const first = Math.max(0, clip.from - clip.halfIn - position, clip.offset - position);
        // what is held on past its end sounds on in its tiles
        const recorded = lengthOf(sung[0]);
        const length = tiles ? Math.max(recorded, tiles.table.length * TILE) : recorded;
        const last = Math.min(count, clip.to + clip.halfOut - position, clip.offset + length - position);
        if (first >= last) continue;
        const keep = (1 - GLIDE) ** first;
        let gl = line.wantedLeft + (line.left - line.wantedLeft) * keep;
        let gr = line.wantedRight + (line.right - line.wantedRight) * keep;
        const second = sung.length > 1 ? 1 : 0;
        const read = line.reads[c];
        const wantedMatch = tiles ? tiles.match[0] : 1;
        for (let i = first; i < last;) {
          const at = position + i - clip.offset;
          let end = last;
          let now: readonly Samples[] = sung;
          let base = 0;
          if (tiles) {
            const tile = Math.floor(at / TILE);
            end = Math.min(last, i + (tile + 1) * TILE - at);
            const state = Atomics.load(tiles.table, tile);
            const slot = slotOf(state);
            if (slot >= 0) {
              now = tiles.pool;
              base = placeOf(slot) - tile * TILE;
            }
            if (main) {
              late ||= sounds && isLate(state);
              this.goOver(read, sung, tiles, tile, slot, isLate(state));
            }
          }
          // nothing was sung there
          if (now === sung) end = Math.min(end, Math.max(i, clip.offset + recorded - position));
          if (end <= i) break;
          const n = end - i;
          const dying = main ? Math.min(n, read.oldLeft) : 0;
          let compares = false;
          for (let k = i; k < end && !compares; k++) compares = this.mixes[o + k] < 1;
          take(now, at + base, n, this.now);
          if (dying) take(read.old, at + read.oldBase, dying, this.old);
          if (compares) take(sung, at, n, this.sung);
          const [nowLeft, nowRight] = [this.now[0], this.now[second]];
          const [oldLeft, oldRight] = [this.old[0], this.old[second]];
          const [sungLeft, sungRight] = [this.sung[0], this.sung[second]];
          for (let k = 0; i < end; i++, k++) {
            gl += (line.wantedLeft - gl) * GLIDE;
            gr += (line.wantedRight - gr) * GLIDE;
            let l = nowLeft[k];
            let r = nowRight[k];
            if (k < dying) {
              const u = read.oldLeft-- / this.fade;
              l += (oldLeft[k] - l) * u;
              r += (oldRight[k] - r) * u;
            }
            const share = this.mixes[o + i];
            if (share < 1) {
              source.match += (wantedMatch - source.match) * GLIDE;
              l += (source.match * sungLeft[k] - l) * (1 - share);
              r += (source.match * sungRight[k] - r) * (1 - share);
            }
            if (source.linked) l = r = (l + r) / 2;
            const g = this.mixes[env + i] * clipGain(clip, position + i) * (held ? 1 - held.share[i] : 1);
            l *= g * gl;
            r *= g * gr;
            left[o + i] += l;
            right[o + i] += r;
            if (l > line.peak || -l > line.peak) line.peak = Math.abs(l);
            if (r > line.peak || -r > line.peak) line.peak = Math.abs(r);
          }
        }
      }
      if (!main) continue;
      const keep = (1 - GLIDE) ** count;
      line.left = line.wantedLeft + (line.left - line.wantedLeft) * keep;
      line.right = line.wantedRight + (line.right - line.wantedRight) * keep;
    }
    if (late && this.wantedEdited) this.late++;
  }

  /** Adds what a track sings of a held key. */
  private sing(
    line: Line,
    held: HeldVoice,
    position: number,
    count: number,
    left: Float32Array,
    right: Float32Array,
    o: number,
    env: number,
  ): void {
    held.make(position, count);
    let gl = line.left;
    let gr = line.right;
    for (let i = 0; i < count; i++) {
      gl += (line.wantedLeft - gl) * GLIDE;
      gr += (line.wantedRight - gr) * GLIDE;
      const g = this.mixes[env + i];
      const l = held.left[i] * g * gl;
      const r = held.right[i] * g * gr;
      left[o + i] += l;
      right[o + i] += r;
      line.peak = Math.max(line.peak, Math.abs(l), Math.abs(r));
    }
  }

  /** Notes where a clip is read now; when that does not go on from where it was read, what it was dies away under it. */
  private goOver(
    read: Reading,
    sung: readonly Samples[],
    tiles: TileMemory,
    tile: number,
    slot: number,
    late: boolean,
  ): void {
    const same = tile === read.tile && slot === read.slot;
    const onward = tile === read.tile + 1 && !late && !read.late;
    if (!same && !onward && read.tile >= 0) {
      read.old = read.slot >= 0 ? tiles.pool : sung;
      read.oldBase = read.slot >= 0 ? placeOf(read.slot) - read.tile * TILE : 0;
      read.oldLeft = this.fade;
    }
    read.tile = tile;
    read.slot = slot;
    read.late = late;
  }

  private click(count: number, left: Float32Array, right: Float32Array, o: number): void {
    const length = Math.round(CLICK_SECONDS * this.sampleRate);
    const { at: all, accents } = this.clicks;
    for (
      let c = Math.max(0, lastAtMost(all, this.position - length, t => t) + 1);
      all[c] < this.position + count;
      c++
    ) {
      const at = all[c];
      const from = Math.max(0, at - this.position);
      const to = Math.min(count, at + length - this.position);
      for (let i = from; i < to; i++) {
        const v = CLICK_GAIN * clickSample(this.position + i - at, this.sampleRate, accents[c] === 1);
        left[o + i] += v;
        right[o + i] += v;
      }
    }
  }

  private take(input: Float32Array, from: number, count: number): void {
    for (let i = 0; i < count; i++) {
      const t = this.taken;
      if (!t.filled) t.position = this.position + i;
      const v = input[from + i];
      if (Math.abs(v) >= CLIPPED) this.status[STATUS.inputClipped]++;
      t.samples[t.filled++] = v;
      if (t.filled === CHUNK) this.flush();
    }
  }

  private flush(): void {
    const t = this.taken;
    if (t.filled) this.onRecorded({ position: t.position, round: t.round, samples: t.samples.slice(0, t.filled) });
    t.filled = 0;
  }
}

/** Sample i of a click: a short knock, higher on the first of a bar. */
export function clickSample(i: number, sampleRate: number, accent: boolean): number {
  const t = i / sampleRate;
  return Math.sin(2 * Math.PI * (accent ? 1660 : 1100) * t) * Math.exp(-t / 0.008) * Math.min(1, i / 24);
}
