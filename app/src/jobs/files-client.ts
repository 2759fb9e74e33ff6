import { Stopped } from '@essim/core';
import * as Comlink from 'comlink';
import type { ImportFailure } from '../sound-files/sound-file';
import type { FilesJob, KeptAudio, OnRead } from './files.worker';
import { SharedHost, WorkerFailure, WorkerHost } from './host';

const newHost = () =>
  new WorkerHost<FilesJob>(
    new Worker(new URL('./files.worker.ts', import.meta.url), { type: 'module' }),
    'handling recordings',
  );
/** Whole recordings pass through its memory. */
const files = new SharedHost<FilesJob>(newHost, 3000);

/** Has the worker that reads, loads and writes recordings do something. */
export const withFiles = <T>(work: (job: Comlink.Remote<FilesJob>) => Promise<T>): Promise<T> => files.ask(work);

/** Keeps samples as a recording, away from the page; they are handed over. @returns its name @throws when storage is full */
export const keepSamples = (name: string, rate: number, channels: Float32Array[], origin?: string): Promise<string> =>
  withFiles(job =>
    job.keep(
      name,
      rate,
      Comlink.transfer(
        channels,
        channels.map(c => c.buffer),
      ),
      origin,
    ),
  );

/** A worker for one file, so that it can be stopped by ending it. */
export class FileReaderJob {
  private readonly host = newHost();

  /** @param onRead gets a copy of the samples before they are kept, and is waited for */
  async read(
    file: File,
    rate: number,
    onProgress: (share: number) => void,
    onRead?: OnRead,
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
