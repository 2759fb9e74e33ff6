import { Mixer, type MixerMessage } from './mixer';

declare const sampleRate: number;
declare const registerProcessor: (name: string, processor: unknown) => void;
declare class AudioWorkletProcessor {
  readonly port: MessagePort;
}

/** The mixer on the audio thread. Options: { status: SharedArrayBuffer }. */
class MixerProcessor extends AudioWorkletProcessor {
  private readonly mixer: Mixer;
  constructor(options: { processorOptions: { status: SharedArrayBuffer } }) {
    super();
    this.mixer = new Mixer(sampleRate, new Float64Array(options.processorOptions.status));
    this.port.onmessage = (e: MessageEvent<MixerMessage>) => this.mixer.receive(e.data);
  }
  process(_inputs: Float32Array[][], outputs: Float32Array[][]): boolean {
    this.mixer.process(outputs[0][0], outputs[0][1]);
    return true;
  }
}

registerProcessor('essim-mixer', MixerProcessor);
