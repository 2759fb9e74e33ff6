import * as Comlink from 'comlink';
import type { FilesJob } from './files.worker';

let files: Comlink.Remote<FilesJob> | null = null;
/** The worker that reads and writes sound files. */
export const filesJob = (): Comlink.Remote<FilesJob> =>
  (files ??= Comlink.wrap<FilesJob>(new Worker(new URL('./files.worker.ts', import.meta.url), { type: 'module' })));
