/** Mixes a song's tracks sample by sample. No browser in here: the worklet only wraps it, and tests drive it. */

export interface MixerTrack {
  id: string;
  /** Recorded channels, never written. */
  sung: Float32Array[];
  /** What the edits make of them; patched while playing. */
  edited: Float32Array[];
  /** Song sample at which the track's first sample lies. */
  offset: number;
}

export type MixerMessage =
  | { kind: 'tracks'; tracks: MixerTrack[] }
  | { kind: 'patch'; id: string; from: number; channels: Float32Array[] }
  | { kind: 'gains'; gains: Record<string, [number, number]> }
  | { kind: 'compare'; edited: boolean }
  | { kind: 'loop'; from: number; to: number }
  | { kind: 'play'; at: number }
  | { kind: 'seek'; at: number }
  | { kind: 'stop' };

/** Places in the shared status the page reads each frame. */
export const STATUS = { position: 0, playing: 1, peakLeft: 2, peakRight: 3, size: 4 } as const;

interface Line extends MixerTrack {
  left: number;
  right: number;
  wantedLeft: number;
  wantedRight: number;
  /** What an edit replaced under the playhead, faded out over a few milliseconds. */
  old: { from: number; channels: Float32Array[]; left: number } | null;
}

const FADE_SECONDS = 0.006;
const METER_FALL = 0.9995;

export class Mixer {
  private lines: Line[] = [];
  private position = 0;
  private playing = false;
  private loop = { from: 0, to: 0 };
  private edited = 1;
  private wantedEdited = 1;
  /** Where playing went on before a jump, still fading out. */
  private tail = { position: 0, left: 0 };
  private gain = 0;
  private readonly fade: number;
  private peaks = [0, 0];

  constructor(
    sampleRate: number,
    private readonly status: Float64Array,
  ) {
    this.fade = Math.max(16, Math.round(FADE_SECONDS * sampleRate));
  }

  receive(m: MixerMessage): void {
    switch (m.kind) {
      case 'tracks': {
        const old = new Map(this.lines.map(l => [l.id, l]));
        this.lines = m.tracks.map(t => {
          const before = old.get(t.id);
          return {
            ...t,
            left: before?.left ?? 0,
            right: before?.right ?? 0,
            wantedLeft: before?.wantedLeft ?? 0,
            wantedRight: before?.wantedRight ?? 0,
            old: null,
          };
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
      case 'play':
        if (this.playing) this.leave();
        this.position = m.at;
        this.playing = true;
        return;
      case 'seek':
        if (this.playing) this.leave();
        this.position = m.at;
        this.status[STATUS.position] = m.at;
        return;
      case 'stop':
        if (this.playing) this.leave();
        this.playing = false;
        return;
    }
  }

  /** Lets the sound at the present place die away while another begins. */
  private leave(): void {
    this.tail = { position: this.position, left: this.fade };
    this.gain = 0;
  }

  private patch(id: string, from: number, channels: Float32Array[]): void {
    const line = this.lines.find(l => l.id === id);
    if (!line) return;
    const at = this.position - line.offset;
    const length = channels[0].length;
    if (this.playing && at > from - this.fade && at < from + length) {
      const start = Math.max(0, at);
      line.old = { from: start, channels: line.edited.map(c => c.slice(start, start + this.fade)), left: this.fade };
    }
    channels.forEach((c, i) => line.edited[i]?.set(c.subarray(0, Math.max(0, line.edited[i].length - from)), from));
  }

  /** Fills one block; silence when nothing plays. */
  process(left: Float32Array, right: Float32Array): void {
    const n = left.length;
    left.fill(0);
    right.fill(0);
    const step = 1 / this.fade;
    for (let i = 0; i < n; i++) {
      this.edited += Math.max(-step, Math.min(step, this.wantedEdited - this.edited));
      for (const line of this.lines) {
        line.left += (line.wantedLeft - line.left) * 0.004;
        line.right += (line.wantedRight - line.right) * 0.004;
      }
      if (this.tail.left > 0) {
        this.add(this.tail.position++, this.tail.left * step, left, right, i, false);
        this.tail.left--;
      }
      if (this.playing) {
        this.gain = Math.min(1, this.gain + step);
        this.add(this.position, this.gain, left, right, i, true);
        this.position++;
        if (this.loop.to > this.loop.from && this.position === this.loop.to) {
          this.leave();
          this.position = this.loop.from;
        }
      }
      this.peaks[0] = Math.max(Math.abs(left[i]), this.peaks[0] * METER_FALL);
      this.peaks[1] = Math.max(Math.abs(right[i]), this.peaks[1] * METER_FALL);
    }
    if (!this.playing && this.tail.left <= 0) this.gain = 0;
    this.status[STATUS.position] = this.position;
    this.status[STATUS.playing] = this.playing ? 1 : 0;
    this.status[STATUS.peakLeft] = this.peaks[0];
    this.status[STATUS.peakRight] = this.peaks[1];
  }

  private add(position: number, gain: number, left: Float32Array, right: Float32Array, i: number, main: boolean): void {
    for (const line of this.lines) {
      const at = position - line.offset;
      if (at < 0 || at >= line.sung[0].length || (line.left === 0 && line.right === 0)) continue;
      const second = line.sung.length > 1 ? 1 : 0;
      let l = line.sung[0][at];
      let r = line.sung[second][at];
      if (this.edited > 0) {
        let el = line.edited[0][at];
        let er = line.edited[second][at];
        const old = line.old;
        if (old && main) {
          const u = old.left / this.fade;
          const k = at - old.from;
          if (k >= 0 && k < old.channels[0].length) {
            el += (old.channels[0][k] - el) * u;
            er += (old.channels[second][k] - er) * u;
          }
          if (--old.left <= 0) line.old = null;
        }
        l += (el - l) * this.edited;
        r += (er - r) * this.edited;
      }
      left[i] += gain * line.left * l;
      right[i] += gain * line.right * r;
    }
  }
}
