import type * as Comlink from 'comlink';
import type { AlignJob } from './align.worker';
import { WorkerHost } from './host';

let host: WorkerHost<AlignJob> | null = null;

/** Has the worker that aligns do something; it keeps what it looked at of a few tracks. One that broke is begun anew. */
export function withAligner<R>(use: (job: Comlink.Remote<AlignJob>) => Promise<R>): Promise<R> {
  if (host?.failure) host = null;
  host ??= new WorkerHost<AlignJob>(
    new Worker(new URL('./align.worker.ts', import.meta.url), { type: 'module' }),
    'aligning',
  );
  return host.ask(use);
}
