import * as Comlink from 'comlink';
import type { AlignJob } from './align.worker';

let worker: Worker | null = null;
let remote: Comlink.Remote<AlignJob> | null = null;

/** The worker that aligns, begun when it is first needed. */
export function aligner(): Comlink.Remote<AlignJob> {
  if (!remote) {
    worker = new Worker(new URL('./align.worker.ts', import.meta.url), { type: 'module' });
    remote = Comlink.wrap<AlignJob>(worker);
  }
  return remote;
}

/** Ends it, with what it has kept of the tracks. */
export function endAligner(): void {
  worker?.terminate();
  worker = remote = null;
}
