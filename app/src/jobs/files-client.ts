import * as Comlink from 'comlink';
import type { FilesJob, KeptAudio } from './files.worker';
import type { ImportFailure } from './sound-file';

let files: Comlink.Remote<FilesJob> | null = null;
/** The worker that reads, loads and writes recordings. */
export const filesJob = (): Comlink.Remote<FilesJob> =>
  (files ??= Comlink.wrap<FilesJob>(new Worker(new URL('./files.worker.ts', import.meta.url), { type: 'module' })));

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
