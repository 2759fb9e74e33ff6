import { Stopped } from '@essim/core';
import * as Comlink from 'comlink';
import type { ImportFailure, SoundFacts } from '../sound-files/sound-file';
import type { FilesJob, KeptAudio } from './files.worker';
import { WorkerFailure, WorkerHost } from './host';

const newHost = () =>
  new WorkerHost<FilesJob>(
    new Worker(new URL('./files.worker.ts', import.meta.url), { type: 'module' }),
    'handling recordings',
  );
let files: WorkerHost<FilesJob> | null = null;
let users = 0;
let idle: ReturnType<typeof setTimeout> | undefined;
/** A worker nobody has used for so long is ended, with all the memory whole recordings have passed through, ms. */
const IDLE_MS = 3000;

/** Has the worker that reads, loads and writes recordings do something; one that broke is begun anew. */
export async function withFiles<T>(work: (job: Comlink.Remote<FilesJob>) => Promise<T>): Promise<T> {
  clearTimeout(idle);
  users++;
  if (files?.failure) files = null;
  files ??= newHost();
  try {
    return await files.ask(work);
  } finally {
    if (!--users)
      idle = setTimeout(() => {
        files?.end();
        files = null;
      }, IDLE_MS);
  }
}

/** A worker for one file, so that it can be stopped by ending it. */
export class FileReaderJob {
  private readonly host = newHost();

  /** @param onRead gets the samples, in shared memory, before they are kept */
  async read(
    file: File,
    rate: number,
    onProgress: (share: number) => void,
    onRead?: (channels: Float32Array[], sound: SoundFacts) => void,
  ): Promise<KeptAudio | ImportFailure> {
    try {
      return await this.host.ask<KeptAudio | ImportFailure>(job =>
        job.readAndKeep(file, file.name, rate, Comlink.proxy(onProgress), onRead ? Comlink.proxy(onRead) : null),
      );
    } catch (error) {
      if (error instanceof Stopped || error instanceof WorkerFailure) return { error: error.message };
      throw error;
    }
  }

  /** Ends the work; a running read resolves as stopped. */
  stop(): void {
    this.host.end();
  }

  close(): void {
    this.host.end();
  }
}
