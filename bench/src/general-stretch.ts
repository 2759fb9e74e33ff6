/**
 * A plain general-purpose time and pitch library (spectral, in WebAssembly) run on the same cases, for comparison only. It is made for
 * an audio worklet; here one is played to it.
 */

interface Port {
  onmessage: ((event: { data: unknown[] }) => void) | null;
  postMessage(message: unknown[]): void;
}
interface Processor {
  port: Port;
  process(inputs: Float32Array[][], outputs: Float32Array[][]): boolean;
}
type ProcessorClass = new (options: { numberOfOutputs: number; outputChannelCount: number[] }) => Processor;

const BLOCK = 128;
let made: Promise<ProcessorClass> | null = null;

/** The library's processor, found by giving it the surroundings it looks for. */
async function processorClass(sampleRate: number): Promise<ProcessorClass> {
  const scope = globalThis as unknown as Record<string, unknown>;
  scope.sampleRate = sampleRate;
  scope.currentTime = 0;
  scope.AudioWorkletProcessor = class {
    port: Port = { onmessage: null, postMessage: () => {} };
  };
  let found: ProcessorClass | null = null;
  scope.registerProcessor = (_: string, c: ProcessorClass) => (found = c);
  await import('signalsmith-stretch');
  if (!found) throw new Error('the comparison library did not register itself');
  return found;
}

/** Renders a take at another pitch, formants kept, or another length. */
export async function generalStretch(
  x: Float32Array,
  sampleRate: number,
  { semitones = 0, formant = 0, stretch = 1 }: { semitones?: number; formant?: number; stretch?: number },
): Promise<Float32Array> {
  const scope = globalThis as unknown as Record<string, unknown>;
  const Class = await (made ??= processorClass(sampleRate));
  scope.currentTime = 0;
  const processor = new Class({ numberOfOutputs: 1, outputChannelCount: [1] });
  const ready = new Promise<void>(done => {
    processor.port.postMessage = m => m[0] === 'ready' && done();
  });
  await ready;
  const call = (...message: unknown[]) => processor.port.onmessage!({ data: [0, ...message] });
  call('addBuffers', [x]);
  call('schedule', {
    active: true,
    input: 0,
    outputTime: 0,
    rate: 1 / stretch,
    semitones,
    formantSemitones: formant,
    formantCompensation: true,
  });
  const length = Math.round(x.length * stretch);
  const out = new Float32Array(Math.ceil(length / BLOCK) * BLOCK);
  for (let u = 0; u < out.length; u += BLOCK) {
    scope.currentTime = u / sampleRate;
    processor.process([[]], [[out.subarray(u, u + BLOCK)]]);
  }
  return out.subarray(0, length);
}
