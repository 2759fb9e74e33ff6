import type { BackingEstimate, BackingSound } from '@essim/core';
import { inWorker } from './host';
import type { SetupJob } from './setup.worker';

/** Analyses a backing in a worker of its own, which ends with it. */
export const analyseInWorker = (sounds: BackingSound[], sampleRate: number): Promise<BackingEstimate> =>
  inWorker<SetupJob, BackingEstimate>(
    new Worker(new URL('./setup.worker.ts', import.meta.url), { type: 'module' }),
    'listening to the backing',
    job => job.analyse(sounds, sampleRate),
  );
