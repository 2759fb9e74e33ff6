import * as Comlink from 'comlink';
import { Stopped } from '@essim/core';

/** A worker that could not be loaded, or broke; the message is for the user. */
export class WorkerFailure extends Error {
  override name = 'WorkerFailure';
}

const nothing = () => {};

/** A worker that has not said a word for so long after it was begun is not coming, ms: its script hangs on the way. */
export const FIRST_WORD_MS = 45_000;

/** A worker and what it offers. One that cannot be loaded, stays silent from the first, breaks or is ended fails what is asked of it, so that nothing waits for ever. */
export class WorkerHost<T> {
  private readonly remote: Comlink.Remote<T>;
  private fail: (error: Error) => void = () => {};
  private readonly silence: ReturnType<typeof setTimeout>;
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
      this.end(new WorkerFailure(`${does} broke off${why}`));
    });
    worker.addEventListener?.('messageerror', () => this.end(new WorkerFailure(`${does} broke off`)));
    this.silence = setTimeout(() => {
      this.end(new WorkerFailure(`${does} did not begin, for nothing came from the server; try again`));
    }, FIRST_WORD_MS);
    worker.addEventListener?.('message', () => clearTimeout(this.silence), { once: true });
    // whatever it answers, it is there
    Promise.resolve((this.remote as unknown as { there: unknown }).there).then(nothing, nothing);
  }

  /** @throws what the job throws; WorkerFailure when the worker breaks; Stopped when it is ended */
  ask<R>(work: (job: Comlink.Remote<T>) => Promise<R>): Promise<R> {
    return Promise.race([work(this.remote), this.failed]);
  }

  /** Ends it; what is still asked of it fails. */
  end(why: Error = new Stopped('it was stopped')): void {
    clearTimeout(this.silence);
    this.worker.terminate();
    this.fail(why);
  }
}

/** A worker that several ask, begun when it is wanted. One that broke is begun anew; one nobody has asked for a while ends, with its memory. */
export class SharedHost<T> {
  private host: WorkerHost<T> | null = null;
  private users = 0;
  private idle: ReturnType<typeof setTimeout> | undefined;

  constructor(
    private readonly begin: () => WorkerHost<T>,
    private readonly idleMs: number,
  ) {}

  async ask<R>(work: (job: Comlink.Remote<T>) => Promise<R>): Promise<R> {
    clearTimeout(this.idle);
    this.users++;
    if (this.host?.failure) this.host = null;
    this.host ??= this.begin();
    try {
      return await this.host.ask(work);
    } finally {
      if (!--this.users) this.idle = setTimeout(() => this.rest(), this.idleMs);
    }
  }

  /** Ends the worker, unless it is asked something. */
  rest(): void {
    if (this.users) return;
    clearTimeout(this.idle);
    this.host?.end();
    this.host = null;
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
