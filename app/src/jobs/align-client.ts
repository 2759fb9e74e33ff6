import type * as Comlink from 'comlink';
import type { AlignJob } from './align.worker';
import { SharedHost, WorkerHost } from './host';

/** Between a tie and the next one it keeps what it looked at of a few tracks. */
const IDLE_MS = 20_000;

const aligner = new SharedHost<AlignJob>(
  () =>
    new WorkerHost<AlignJob>(new Worker(new URL('./align.worker.ts', import.meta.url), { type: 'module' }), 'aligning'),
  IDLE_MS,
);

/** Nothing of what was looked at is wanted any more. */
export const forgetAligned = (): void => aligner.rest();

/** Has the worker that aligns do something. */
export const withAligner = <R>(use: (job: Comlink.Remote<AlignJob>) => Promise<R>): Promise<R> => aligner.ask(use);
