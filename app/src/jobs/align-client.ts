import * as Comlink from 'comlink';
import type { AlignJob } from './align.worker';

let remote: Comlink.Remote<AlignJob> | null = null;

/** The worker that aligns, begun when it is first needed; it keeps what it looked at of a few tracks. */
export function aligner(): Comlink.Remote<AlignJob> {
  remote ??= Comlink.wrap<AlignJob>(new Worker(new URL('./align.worker.ts', import.meta.url), { type: 'module' }));
  return remote;
}
