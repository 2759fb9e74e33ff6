import * as Comlink from 'comlink';
import type { FilesJob, KeptAudio } from './files.worker';
import type { ImportFailure } from './sound-file';

const start = () => {
  const worker = new Worker(new URL('./files.worker.ts', import.meta.url), { type: 'module' });
  return { worker, job: Comlink.wrap<FilesJob>(worker) };
};
let files: ReturnType<typeof start> | null = null;
let users = 0;
let idle: ReturnType<typeof setTimeout> | undefined;
/** A worker nobody has used for so long is ended, with all the memory whole recordings have passed through, ms. */
const IDLE_MS = 3000;

/** Has the worker that reads, loads and writes recordings do something. */
export async function withFiles<T>(work: (job: Comlink.Remote<FilesJob>) => Promise<T>): Promise<T> {
  clearTimeout(idle);
  users++;
  files ??= start();
  try {
    return await work(files.job);
  } finally {
    if (!--users)
      idle = setTimeout(() => {
        files?.worker.terminate();
        files = null;
      }, IDLE_MS);
  }
}

/** A worker for one file, so that it can be stopped by ending it. */
export class FileReaderJob {
  private readonly worker = new Worker(new URL('./files.worker.ts', import.meta.url), { type: 'module' });
  private readonly job = Comlink.wrap<FilesJob>(this.worker);
  private ended: (failure: ImportFailure) => void = () => {};
  private readonly stopped = new Promise<ImportFailure>(resolve => (this.ended = resolve));

  read(file: File, rate: number, onProgress: (share: number) => void): Promise<KeptAudio | ImportFailure> {
    return Promise.race([this.job.readAndKeep(file, file.name, rate, Comlink.proxy(onProgress)), this.stopped]);
  }

  /** Ends the work; a running read resolves as stopped. */
  stop(): void {
    this.worker.terminate();
    this.ended({ error: 'it was stopped' });
  }

  close(): void {
    this.worker.terminate();
  }
}
