import { clipGain, type ClipSamples } from '@essim/core';

/** Mixes a song's tracks sample by sample and takes the microphone in. No browser in here: the worklet only wraps it, and tests drive it. */

/** A take's sound. */
export interface MixerSource {
  id: string;
  /** Recorded channels, never written. */
  sung: Float32Array[];
  /** What the edits make of them; patched while playing. The same arrays as `sung` while there are no edits. */
  edited: Float32Array[];
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
  | { kind: 'patch'; id: string; from: number; channels: Float32Array[] }
  | { kind: 'gains'; gains: Record<string, [number, number]> }
  | { kind: 'compare'; edited: boolean }
  | { kind: 'loop'; from: number; to: number }
  /** Song samples at which a click sounds; accents are 1 on the first of a bar. */
  | { kind: 'clicks'; at: number[]; accents: number[]; on: boolean }
  /** From `at` on; `countIn` samples of clicks before it. `frame`: not before this frame of the audio clock. */
  | { kind: 'play'; at: number; countIn?: number; frame?: number }
  | { kind: 'seek'; at: number }
  | { kind: 'stop' }
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
  size: 8,
} as const;

interface Line extends MixerTrack {
  left: number;
  right: number;
  wantedLeft: number;
  wantedRight: number;
}

interface Source extends MixerSource {
  /** What an edit replaced under the playhead, faded out over a few milliseconds. */
  old: { from: number; channels: Float32Array[]; left: number } | null;
}

const FADE_SECONDS = 0.006;
const METER_FALL = 0.9995;
const GLIDE = 0.004;
const CLICK_SECONDS = 0.045;
const CLICK_GAIN = 0.35;
const CHUNK = 4096;
const CLIPPED = 0.999;

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
  private readonly fade: number;
  private peaks = [0, 0];
  private inputPeak = 0;
  private recording = false;
  private taken = { position: 0, round: 0, samples: new Float32Array(CHUNK), filled: 0 };
  private readonly mixes: Float32Array;

  constructor(
    private readonly sampleRate: number,
    private readonly status: Float64Array,
    private readonly onRecorded: (r: Recorded) => void = () => {},
  ) {
    this.fade = Math.max(16, Math.round(FADE_SECONDS * sampleRate));
    this.mixes = new Float32Array(4096);
  }

  receive(m: MixerMessage): void {
    switch (m.kind) {
      case 'sources':
        this.sources = new Map(m.sources.map(s => [s.id, { ...s, old: null }]));
        return;
      case 'tracks': {
        if (this.playing) this.leave();
        const old = new Map(this.lines.map(l => [l.id, l]));
        this.lines = m.tracks.map(t => {
          const { left = 0, right = 0, wantedLeft = 0, wantedRight = 0 } = old.get(t.id) ?? {};
          return { ...t, left, right, wantedLeft, wantedRight };
        });
        return;
      }
      case 'patch':
        return this.patch(m.id, m.from, m.channels);
      case 'gains':
        for (const line of this.lines) [line.wantedLeft, line.wantedRight] = m.gains[line.id] ?? [0, 0];
        if (!this.playing) for (const line of this.lines) [line.left, line.right] = [line.wantedLeft, line.wantedRight];
        return;
      case 'compare':
        this.wantedEdited = m.edited ? 1 : 0;
        if (!this.playing) this.edited = this.wantedEdited;
        return;
      case 'loop':
        this.loop = { from: m.from, to: m.to };
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
        this.taken.round = 0;
        return;
      case 'seek':
        if (this.playing) this.leave();
        this.position = m.at;
        this.begin = -Infinity;
        this.status[STATUS.position] = m.at;
        return;
      case 'stop':
        if (this.playing) this.leave();
        this.playing = false;
        this.flush();
        this.recording = false;
        this.status[STATUS.recording] = 0;
        return;
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
  }

  private patch(id: string, from: number, channels: Float32Array[]): void {
    const source = this.sources.get(id);
    if (!source) return;
    const at = this.playing ? this.heardAt(id, from, from + channels[0].length) : -1;
    if (at >= 0)
      source.old = { from: at, channels: source.edited.map(c => c.slice(at, at + this.fade)), left: this.fade };
    channels.forEach((c, i) => source.edited[i]?.set(c.subarray(0, Math.max(0, source.edited[i].length - from)), from));
  }

  /** Source sample under the playhead when it lies in a span of a source that is sounding; -1 otherwise. */
  private heardAt(id: string, from: number, to: number): number {
    for (const line of this.lines)
      for (const c of line.clips) {
        const at = this.position - c.offset;
        if (c.sourceId !== id || this.position < c.from - c.halfIn || this.position >= c.to + c.halfOut) continue;
        if (at > from - this.fade && at < to) return Math.max(0, at);
      }
    return -1;
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
        this.mixes[2048 + i + k] = this.gain;
      }
      if (!counting) this.render(this.lines, this.position, count, left, right, i, 2048 + i, true);
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
    this.status[STATUS.inputPeak] = this.inputPeak;
  }

  /** Goes on with the sound that is dying away, from out[o] to the block's end. */
  private fadeTail(left: Float32Array, right: Float32Array, o: number): void {
    const count = Math.min(left.length - o, this.tail.left);
    if (count <= 0) return;
    for (let i = 0; i < count; i++) this.mixes[2048 + i] = (this.tail.left - i) / this.fade;
    this.render(this.tail.lines, this.tail.position, count, left, right, o, 2048, false);
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
    for (const line of lines) {
      for (const clip of line.clips) {
        const source = this.sources.get(clip.sourceId);
        if (!source) continue;
        const first = Math.max(0, clip.from - clip.halfIn - position, clip.offset - position);
        const last = Math.min(count, clip.to + clip.halfOut - position, clip.offset + source.sung[0].length - position);
        if (first >= last) continue;
        let gl = line.left;
        let gr = line.right;
        const second = source.sung.length > 1 ? 1 : 0;
        const { sung, edited } = source;
        for (let i = 0; i < last; i++) {
          gl += (line.wantedLeft - gl) * GLIDE;
          gr += (line.wantedRight - gr) * GLIDE;
          if (i < first) continue;
          const at = position + i - clip.offset;
          const share = this.mixes[o + i];
          let l = sung[0][at];
          let r = sung[second][at];
          if (share > 0) {
            let el = edited[0][at];
            let er = edited[second][at];
            const old = source.old;
            if (old && main) {
              const k = at - old.from;
              if (k >= 0 && k < old.channels[0].length) {
                const u = old.left / this.fade;
                el += (old.channels[0][k] - el) * u;
                er += (old.channels[second][k] - er) * u;
              }
              if (--old.left <= 0) source.old = null;
            }
            l += (el - l) * share;
            r += (er - r) * share;
          }
          if (source.linked) l = r = (l + r) / 2;
          const g = this.mixes[env + i] * clipGain(clip, position + i);
          left[o + i] += g * gl * l;
          right[o + i] += g * gr * r;
        }
      }
      if (!main) continue;
      for (let i = 0; i < count; i++) {
        line.left += (line.wantedLeft - line.left) * GLIDE;
        line.right += (line.wantedRight - line.right) * GLIDE;
      }
    }
  }

  private click(count: number, left: Float32Array, right: Float32Array, o: number): void {
    const length = Math.round(CLICK_SECONDS * this.sampleRate);
    this.clicks.at.forEach((at, c) => {
      const from = Math.max(0, at - this.position);
      const to = Math.min(count, at + length - this.position);
      for (let i = from; i < to; i++) {
        const v = CLICK_GAIN * clickSample(this.position + i - at, this.sampleRate, this.clicks.accents[c] === 1);
        left[o + i] += v;
        right[o + i] += v;
      }
    });
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
