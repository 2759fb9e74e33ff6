import mixerUrl from './mixer.worklet.ts?worker&url';
import { STATUS, type MixerMessage, type MixerTrack } from './mixer';

/** A shared copy of samples, so that the audio thread and workers read them without copying. */
export function shared(samples: Float32Array): Float32Array {
  const out = new Float32Array(new SharedArrayBuffer(samples.byteLength));
  out.set(samples);
  return out;
}

/** The page's end of the sound: an AudioContext at the song's rate with the mixer worklet in it. */
export class Player {
  private context: AudioContext | null = null;
  private node: AudioWorkletNode | null = null;
  private readonly status = new Float64Array(new SharedArrayBuffer(8 * STATUS.size));
  private waiting: MixerMessage[] = [];
  private note: AudioBufferSourceNode | null = null;

  constructor(readonly sampleRate: number) {}

  /** Builds the audio graph; must first be called from a key or click, or the browser keeps it silent. */
  private async start(): Promise<void> {
    if (!this.context) {
      const context = new AudioContext({ sampleRate: this.sampleRate, latencyHint: 'interactive' });
      this.context = context;
      await context.audioWorklet.addModule(mixerUrl);
      this.node = new AudioWorkletNode(context, 'essim-mixer', {
        numberOfInputs: 0,
        outputChannelCount: [2],
        processorOptions: { status: this.status.buffer },
      });
      this.node.connect(context.destination);
      for (const m of this.waiting) this.node.port.postMessage(m);
      this.waiting = [];
    }
    if (this.context.state === 'suspended') await this.context.resume();
  }

  private send(m: MixerMessage, transfer: Transferable[] = []): void {
    if (this.node) this.node.port.postMessage(m, transfer);
    else this.waiting.push(m);
  }

  setTracks(tracks: MixerTrack[]): void {
    this.send({ kind: 'tracks', tracks });
  }
  patch(id: string, from: number, channels: Float32Array[]): void {
    this.send(
      { kind: 'patch', id, from, channels },
      channels.map(c => c.buffer as ArrayBuffer),
    );
  }
  setGains(gains: Record<string, [number, number]>): void {
    this.send({ kind: 'gains', gains });
  }
  compare(edited: boolean): void {
    this.send({ kind: 'compare', edited });
  }
  /** Loops [from, to) seconds; null plays on. */
  loop(span: { from: number; to: number } | null): void {
    this.send({ kind: 'loop', from: span ? this.samples(span.from) : 0, to: span ? this.samples(span.to) : 0 });
  }
  async play(at: number): Promise<void> {
    this.status[STATUS.playing] = 1;
    this.status[STATUS.position] = this.samples(at);
    await this.start();
    this.send({ kind: 'play', at: this.samples(at) });
  }
  stop(): void {
    this.status[STATUS.playing] = 0;
    this.send({ kind: 'stop' });
  }
  seek(at: number): void {
    this.status[STATUS.position] = this.samples(at);
    this.send({ kind: 'seek', at: this.samples(at) });
  }

  /** Sounds a few samples on their own, cutting off the last such sound. */
  async sound(channels: Float32Array[]): Promise<void> {
    await this.start();
    const context = this.context!;
    this.note?.stop();
    const buffer = context.createBuffer(channels.length, channels[0].length, this.sampleRate);
    channels.forEach((c, i) => buffer.copyToChannel(c as Float32Array<ArrayBuffer>, i));
    const gain = context.createGain();
    const now = context.currentTime;
    gain.gain.setValueAtTime(0, now);
    gain.gain.linearRampToValueAtTime(0.9, now + 0.008);
    const end = now + buffer.duration;
    gain.gain.setValueAtTime(0.9, Math.max(now + 0.008, end - 0.03));
    gain.gain.linearRampToValueAtTime(0, end);
    this.note = context.createBufferSource();
    this.note.buffer = buffer;
    this.note.connect(gain).connect(context.destination);
    this.note.start();
  }

  get playing(): boolean {
    return this.status[STATUS.playing] === 1;
  }
  /** Song position, s. */
  get position(): number {
    return this.status[STATUS.position] / this.sampleRate;
  }
  /** Peaks of left and right, linear. */
  get peaks(): [number, number] {
    return [this.status[STATUS.peakLeft], this.status[STATUS.peakRight]];
  }
  private samples(seconds: number): number {
    return Math.max(0, Math.round(seconds * this.sampleRate));
  }
  close(): void {
    void this.context?.close();
  }
}
