import * as Comlink from 'comlink';
import { Stopped } from '@essim/core';

/** A worker that could not be loaded, or broke; the message is for the user. */
export class WorkerFailure extends Error {
  override name = 'WorkerFailure';
}

/** A worker and what it offers. One that cannot be loaded, breaks or is ended fails what is asked of it, so that nothing waits for ever. */
export class WorkerHost<T> {
  private readonly remote: Comlink.Remote<T>;
  private fail: (error: Error) => void = () => {};
  /** Why it can do nothing more; null while it can. */
  failure: Error | null = null;
  private readonly failed = new Promise<never>((_, fail) => {
    this.fail = error => {
      this.failure ??= error;
      fail(this.failure);
    };
  });

  /** @param does what it is for, in a few words: "reading the voice" */
  constructor(
    private readonly worker: Worker,
    does: string,
  ) {
    // one nobody waits for may fail unheard
    this.failed.catch(() => {});
    this.remote = Comlink.wrap<T>(worker);
    worker.addEventListener?.('error', e => {
      const why = e.message ? `: ${e.message}` : ', for it could not be loaded; is the server there?';
      this.fail(new WorkerFailure(`${does} broke off${why}`));
    });
    worker.addEventListener?.('messageerror', () => this.fail(new WorkerFailure(`${does} broke off`)));
  }

  /** @throws what the job throws; WorkerFailure when the worker breaks; Stopped when it is ended */
  ask<R>(work: (job: Comlink.Remote<T>) => Promise<R>): Promise<R> {
    return Promise.race([work(this.remote), this.failed]);
  }

  /** Ends it; what is still asked of it fails. */
  end(why: Error = new Stopped('it was stopped')): void {
    this.worker.terminate();
    this.fail(why);
  }
}

/** Has a worker that ends with it do one thing. */
export async function inWorker<T, R>(
  worker: Worker,
  does: string,
  work: (job: Comlink.Remote<T>) => Promise<R>,
): Promise<R> {
  const host = new WorkerHost<T>(worker, does);
  try {
    return await host.ask(work);
  } finally {
    host.end();
  }
}
