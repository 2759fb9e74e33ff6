import { neutralPlan, voiceFromSnapshot, VoiceStream, type LiveSetting } from '@essim/core';
import type { LiveNote } from './held-voice';

export type LiveMessage =
  | { kind: 'begin'; note: LiveNote; wish: LiveSetting }
  | { kind: 'ask'; wish: LiveSetting }
  | { kind: 'end' };

/** Soft ends of each round, and of the whole, s. */
const FADE_SECONDS = 0.012;

/** Sings one note round and round while it is moved: the voice engine on the audio thread. */
class VoiceProcessor extends AudioWorkletProcessor {
  private note: LiveNote | null = null;
  private stream: VoiceStream | null = null;
  private wish: LiveSetting = { offsetCents: 0, formantCents: 0, levelDb: 0 };
  /** Gain of the whole, and where it goes. */
  private gain = 0;
  private wanted = 0;
  private readonly fade = Math.round(FADE_SECONDS * sampleRate);
  private blocks: Float32Array[] = [];

  constructor() {
    super();
    this.port.onmessage = (e: MessageEvent<LiveMessage>) => this.receive(e.data);
  }

  private receive(m: LiveMessage): void {
    if (m.kind === 'end') this.wanted = 0;
    else {
      this.wish = m.wish;
      this.stream?.ask(m.wish);
    }
    if (m.kind !== 'begin') return;
    const { note } = m;
    this.note = note;
    const source = voiceFromSnapshot(note.snapshot);
    const plan = neutralPlan(note.snapshot.frames, note.snapshot.hop);
    plan.offsetCents.set(note.offsetCents, note.firstFrame);
    this.stream = new VoiceStream(source, plan, this.wish, note.from);
    this.blocks = note.snapshot.source.map(() => new Float32Array(128));
    this.wanted = 1;
  }

  process(_: Float32Array[][], [out]: Float32Array[][]): boolean {
    const { note } = this;
    const { stream } = this;
    if (!note || !stream || (this.gain <= 0 && this.wanted <= 0)) return true;
    if (stream.position >= note.to) {
      if (note.once) {
        this.note = this.stream = null;
        this.gain = this.wanted = 0;
        return true;
      }
      stream.restart(note.from);
    }
    const at = stream.position;
    stream.process(this.blocks);
    const [left, right] = [this.blocks[0], this.blocks[this.blocks.length - 1]];
    for (let i = 0; i < left.length; i++) {
      this.gain += Math.max(-1, Math.min(1, (this.wanted - this.gain) * this.fade)) / this.fade;
      const round = Math.max(0, Math.min(1, (at + i - note.from) / this.fade, (note.to - at - i) / this.fade));
      const g = this.gain * round;
      out[0][i] = g * left[i];
      out[1][i] = g * right[i];
    }
    if (this.gain <= 1e-4 && this.wanted <= 0) {
      this.gain = 0;
      this.note = null;
      this.stream = null;
    }
    return true;
  }
}

registerProcessor('essim-voice', VoiceProcessor);
