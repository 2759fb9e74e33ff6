import mixerUrl from './mixer.worklet.ts?worker&url';
import type { LiveSetting } from '@essim/core';
import voiceUrl from './voice.worklet.ts?worker&url';
import type { HeldStretch, LiveNote } from './held-voice';
import type { LiveMessage } from './voice.worklet';
import { STATUS, type MixerMessage, type MixerSource, type MixerTrack, type Recorded } from './mixer';

/** A note that could not be begun is told of there. */
const unsung = () => {};

/** The page's end of the sound: an AudioContext at the song's rate with the mixer worklet in it. */
export class Player {
  private graph: Promise<{ context: AudioContext; node: AudioWorkletNode }> | null = null;
  private context: AudioContext | null = null;
  private node: AudioWorkletNode | null = null;
  /** What the audio thread says of itself, in shared memory; see STATUS. */
  readonly status = new Float64Array(new SharedArrayBuffer(8 * STATUS.size));
  private waiting: MixerMessage[] = [];
  private note: AudioBufferSourceNode | null = null;
  private voice: Promise<AudioWorkletNode> | null = null;
  /** Gets what the microphone brings while recording. */
  onRecorded: (r: Recorded) => void = () => {};

  constructor(readonly sampleRate: number) {}

  /**
   * Builds the audio graph; must first be called from a key or click, or the browser keeps it silent. One that could not be built is
   * tried anew the next time. @throws Error saying that there is no sound
   */
  async start(): Promise<{ context: AudioContext; node: AudioWorkletNode }> {
    this.graph ??= this.build();
    try {
      const graph = await this.graph;
      if (graph.context.state === 'suspended') await graph.context.resume();
      return graph;
    } catch (error) {
      this.graph = null;
      this.status[STATUS.playing] = 0;
      throw new Error(`there is no sound: ${error instanceof Error ? error.message : String(error)}`, { cause: error });
    }
  }

  private async build(): Promise<{ context: AudioContext; node: AudioWorkletNode }> {
    const context = new AudioContext({ sampleRate: this.sampleRate, latencyHint: 'interactive' });
    try {
      await context.audioWorklet.addModule(mixerUrl);
    } catch (error) {
      void context.close();
      throw error;
    }
    const node = new AudioWorkletNode(context, 'essim-mixer', {
      numberOfInputs: 1,
      outputChannelCount: [2],
      channelCount: 1,
      channelCountMode: 'explicit',
      processorOptions: { status: this.status.buffer },
    });
    node.connect(context.destination);
    node.port.onmessage = (e: MessageEvent<Recorded>) => this.onRecorded(e.data);
    for (const m of this.waiting) node.port.postMessage(m);
    this.waiting = [];
    this.context = context;
    this.node = node;
    return { context, node };
  }

  private send(m: MixerMessage, transfer: Transferable[] = []): void {
    if (this.node) this.node.port.postMessage(m, transfer);
    else this.waiting.push(m);
  }

  setSources(sources: MixerSource[]): void {
    this.send({ kind: 'sources', sources });
  }
  setTracks(tracks: MixerTrack[]): void {
    this.send({ kind: 'tracks', tracks });
  }
  setClicks(at: number[], accents: number[], on: boolean): void {
    this.send({ kind: 'clicks', at: at.map(t => Math.round(t * this.sampleRate)), accents, on });
  }
  record(on: boolean): void {
    this.send({ kind: 'record', on });
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
  /** @param at song s @param countIn s of clicks before it @param inSeconds how much later it begins; returns that moment on the audio clock */
  async play(at: number, countIn = 0, inSeconds = 0): Promise<number> {
    this.status[STATUS.playing] = 1;
    this.status[STATUS.position] = this.samples(at);
    const { context } = await this.start();
    const frame = inSeconds ? Math.round((context.currentTime + inSeconds) * this.sampleRate) : 0;
    this.send({ kind: 'play', at: this.samples(at), countIn: this.samples(countIn), frame });
    return frame / this.sampleRate;
  }
  stop(): void {
    this.status[STATUS.playing] = 0;
    this.send({ kind: 'stop' });
  }
  seek(at: number): void {
    this.status[STATUS.position] = this.samples(at);
    this.send({ kind: 'seek', at: this.samples(at) });
  }

  /** Sounds a moment at a place; while playing it is a seek. */
  async scrub(at: number): Promise<void> {
    this.status[STATUS.position] = this.samples(at);
    await this.start();
    this.send({ kind: 'scrub', at: this.samples(at) });
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

  /** Sings a note round and round until endSinging(); its pitch can be moved meanwhile. */
  async sing(note: LiveNote, wish: LiveSetting): Promise<void> {
    const { context } = await this.start();
    this.voice ??= context.audioWorklet.addModule(voiceUrl).then(() => {
      const node = new AudioWorkletNode(context, 'essim-voice', { numberOfInputs: 0, outputChannelCount: [2] });
      node.connect(context.destination);
      return node;
    });
    // one that could not be loaded is tried anew with the next note
    this.voice.catch(() => (this.voice = null));
    await this.tell({ kind: 'begin', note, wish });
  }
  /** Moves what is being sung. */
  moveSung(wish: LiveSetting): void {
    void this.tell({ kind: 'ask', wish }).catch(unsung);
  }
  endSinging(): void {
    void this.tell({ kind: 'end' }).catch(unsung);
  }
  private async tell(m: LiveMessage): Promise<void> {
    if (this.voice) (await this.voice).port.postMessage(m);
  }

  /** Says what tracks sing while keys are held, from now on. */
  setHeld(stretches: Record<string, HeldStretch>): void {
    this.send({ kind: 'held', stretches });
  }
  /** A track sings a pitch in place of its rendering, at once; null: no more. */
  hold(track: string, midi: number | null): void {
    const pressed = Math.round((this.context?.currentTime ?? 0) * this.sampleRate);
    this.send({ kind: 'hold', track, midi, pressed });
  }
  /** From the last key that was pressed to the end of the block in which it begins to sound, s; 0 before the first. */
  get heldDelay(): number {
    return this.status[STATUS.heldDelay] / this.sampleRate;
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
  /** Highest true peak since it began to play, linear. */
  get truePeak(): number {
    return this.status[STATUS.truePeak];
  }
  /** Peak of a track, linear, by its place in the song. */
  peakOf(track: number): number {
    return this.status[STATUS.tracks + track] ?? 0;
  }
  /** Counts up while a track sounds otherwise than edited because its rendering is late. */
  get late(): number {
    return this.status[STATUS.late];
  }
  /** Level at the microphone, linear, and how many samples were at full scale. */
  get input(): { peak: number; clipped: number } {
    return { peak: this.status[STATUS.inputPeak], clipped: this.status[STATUS.inputClipped] };
  }
  private samples(seconds: number): number {
    return Math.max(0, Math.round(seconds * this.sampleRate));
  }
  close(): void {
    void this.context?.close();
  }
}
