/** What an audio worklet finds about itself; not among the page's own types. */
declare const sampleRate: number;
declare const currentFrame: number;
declare const registerProcessor: (name: string, processor: unknown) => void;
declare class AudioWorkletProcessor {
  readonly port: MessagePort;
}
