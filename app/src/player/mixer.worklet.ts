import { Mixer, type MixerMessage } from './mixer';

/** The mixer on the audio thread. Options: { status: SharedArrayBuffer }. Its input is the microphone; what it records it posts. */
class MixerProcessor extends AudioWorkletProcessor {
  private readonly mixer: Mixer;
  constructor(options: { processorOptions: { status: SharedArrayBuffer } }) {
    super();
    this.mixer = new Mixer(sampleRate, new Float64Array(options.processorOptions.status), r =>
      this.port.postMessage(r, [r.samples.buffer]),
    );
    this.port.onmessage = (e: MessageEvent<MixerMessage>) => this.mixer.receive(e.data);
  }
  process(inputs: Float32Array[][], outputs: Float32Array[][]): boolean {
    this.mixer.process(outputs[0][0], outputs[0][1], currentFrame, inputs[0]?.[0]);
    return true;
  }
}

registerProcessor('essim-mixer', MixerProcessor);
