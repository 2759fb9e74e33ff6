import * as Comlink from 'comlink';
import type { SimulatedSinger } from './simulated-singer.worker';

/** Where sound to record comes from. */
export interface RecordingInput {
  /** Connects it to the player's microphone input. */
  open(context: AudioContext, node: AudioWorkletNode): Promise<void>;
  /** Sings, for the simulation: the span from `from` (song s) on, heard from `at` on the audio clock; each round anew. */
  begin(at: number, from: number, to: number, rounds: { from: number; to: number } | null): Promise<void>;
  /** Gets ready for a span, so that begin need not wait. */
  prepare(from: number, to: number): Promise<void>;
  /** Lets what is played leak in, as headphones or a cable do; for measuring latency. */
  leak(on: boolean): void;
  close(): void;
}

/** The browser's microphone. @throws Error in words for the user */
export class Microphone implements RecordingInput {
  private stream: MediaStream | null = null;
  private source: MediaStreamAudioSourceNode | null = null;

  async open(context: AudioContext, node: AudioWorkletNode): Promise<void> {
    if (!navigator.mediaDevices?.getUserMedia) throw new Error('this browser gives no access to a microphone');
    try {
      this.stream = await navigator.mediaDevices.getUserMedia({
        audio: { echoCancellation: false, noiseSuppression: false, autoGainControl: false, channelCount: 1 },
      });
    } catch (error) {
      const name = error instanceof Error ? error.name : '';
      throw new Error(
        name === 'NotAllowedError'
          ? 'the browser was not allowed to use the microphone; allow it beside the address, or choose the simulated one'
          : name === 'NotFoundError'
            ? 'no microphone is connected; choose the simulated one to try the way'
            : `the microphone could not be opened (${name || String(error)})`,
        { cause: error },
      );
    }
    this.source = context.createMediaStreamSource(this.stream);
    this.source.connect(node);
  }
  prepare(): Promise<void> {
    return Promise.resolve();
  }
  begin(): Promise<void> {
    return Promise.resolve();
  }
  leak(): void {}
  close(): void {
    this.source?.disconnect();
    this.stream?.getTracks().forEach(t => t.stop());
  }
}

/** Delay of the simulated microphone's way in, s. */
const SIMULATED_DELAY = 0.035;
const LEAK_GAIN = 0.12;

/** Sings made-up takes of the demo song, late by a fixed delay as real inputs are. */
export class SimulatedMicrophone implements RecordingInput {
  private readonly worker = new Worker(new URL('./simulated-singer.worker.ts', import.meta.url), { type: 'module' });
  private readonly singer = Comlink.wrap<SimulatedSinger>(this.worker);
  private context: AudioContext | null = null;
  private node: AudioWorkletNode | null = null;
  private delay: DelayNode | null = null;
  private leaking: GainNode | null = null;
  private readonly playing: AudioBufferSourceNode[] = [];
  private ready: { from: number; to: number; samples: Float32Array } | null = null;
  private closed = false;
  private seed = (Math.random() * 1e6) | 0;

  /** @param melody what is to be sung, song s; null: the demo song's own */
  constructor(private readonly melody: { start: number; end: number; midi: number }[] | null = null) {}

  open(context: AudioContext, node: AudioWorkletNode): Promise<void> {
    this.context = context;
    this.node = node;
    this.delay = context.createDelay(1);
    this.delay.delayTime.value = SIMULATED_DELAY;
    this.leaking = context.createGain();
    this.leaking.gain.value = 0;
    node.connect(this.leaking).connect(this.delay).connect(node);
    return Promise.resolve();
  }

  async prepare(from: number, to: number): Promise<void> {
    const samples = await this.singer.sing(from, to, this.seed++, this.context!.sampleRate, this.melody);
    this.ready = { from, to, samples };
  }

  async begin(at: number, from: number, to: number, rounds: { from: number; to: number } | null): Promise<void> {
    if (this.ready?.from !== from || this.ready.to !== to) await this.prepare(from, to);
    this.start(this.ready!.samples, at);
    let next = at + (to - from);
    while (rounds && !this.closed) {
      await this.prepare(rounds.from, rounds.to);
      if (this.closed) return;
      this.start(this.ready!.samples, next);
      next += rounds.to - rounds.from;
      // one round ahead is enough
      const wait = next - this.context!.currentTime - (rounds.to - rounds.from);
      await new Promise(r => setTimeout(r, Math.max(0, wait * 1000)));
    }
  }

  private start(samples: Float32Array, at: number): void {
    const buffer = this.context!.createBuffer(1, samples.length, this.context!.sampleRate);
    buffer.copyToChannel(samples as Float32Array<ArrayBuffer>, 0);
    const source = this.context!.createBufferSource();
    source.buffer = buffer;
    source.connect(this.delay!);
    const late = Math.max(0, this.context!.currentTime - at);
    source.start(Math.max(at, this.context!.currentTime), late);
    this.playing.push(source);
  }

  leak(on: boolean): void {
    if (this.leaking) this.leaking.gain.value = on ? LEAK_GAIN : 0;
  }

  close(): void {
    this.closed = true;
    this.worker.terminate();
    for (const source of this.playing) source.stop();
    if (this.node && this.leaking) this.node.disconnect(this.leaking);
    this.delay?.disconnect();
  }
}
