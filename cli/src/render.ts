import { analyseVoice, joinsOf, splitTake, neutralPlan, renderAll, TimeMap } from '@essim/core';
import { bytesLike, inputFile, readingOf, requireOutputs, writeOutput } from './files';

export interface RenderOptions {
  output: string;
  semitones: number;
  formant: number;
  stretch: number;
}

export function renderCommand(path: string, options: RenderOptions): void {
  const input = inputFile(path);
  requireOutputs(options.output);
  const { semitones, formant, stretch } = options;
  if (!semitones && !formant && stretch === 1) return writeOutput(options.output, input.bytes);
  const reading = readingOf(input);
  const plan = neutralPlan(reading.f0.length, reading.hop);
  if (semitones) {
    plan.offsetCents.fill(semitones * 100);
    plan.active.fill(1);
  }
  if (formant) plan.formantCents = new Float32Array(reading.f0.length).fill(formant * 100);
  plan.time = TimeMap.stretch(stretch, input.channels[0].length / input.sampleRate);
  plan.joins = joinsOf(splitTake(reading));
  const channels = renderAll(analyseVoice(input.channels, input.sampleRate, reading.f0, reading.hop), plan);
  writeOutput(options.output, bytesLike(input, channels));
}
