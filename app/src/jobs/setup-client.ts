import * as Comlink from 'comlink';
import type { BackingEstimate } from '@essim/core';
import type { BackingSound, SetupJob } from './setup.worker';

/** Analyses a backing in a worker of its own, which ends with it. */
export async function analyseInWorker(sounds: BackingSound[], sampleRate: number): Promise<BackingEstimate> {
  const worker = new Worker(new URL('./setup.worker.ts', import.meta.url), { type: 'module' });
  try {
    return await Comlink.wrap<SetupJob>(worker).analyse(sounds, sampleRate);
  } finally {
    worker.terminate();
  }
}
