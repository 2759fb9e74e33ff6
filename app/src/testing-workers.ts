import { fileURLToPath } from 'node:url';

/**
 * Comlink for unit tests (`jest.config.cjs` puts it in the other's place): what a worker offers runs in the same thread, a turn later,
 * and nothing is copied. What passes between real threads is driven end to end.
 */
const offered = new Map<string, object>();
let loading = '';
const proxied = new WeakSet<object>();

export const releaseProxy = Symbol('releaseProxy');
export const expose = (job: object): void => void offered.set(loading, job);
export const transfer = <T>(x: T): T => x;
export const proxy = <T extends object>(x: T): T => {
  proxied.add(x);
  return x;
};

/** A worker that is no thread. Once it is ended nothing it was asked is answered. */
class WorkerHere {
  readonly job: object;
  /** What it made on request; goes with it. */
  readonly made: { close?: () => void }[] = [];
  ended = false;

  constructor(url: URL) {
    const path = fileURLToPath(url);
    if (!offered.has(path)) {
      loading = path;
      jest.requireActual(path);
    }
    this.job = offered.get(path)!;
  }
  terminate(): void {
    this.ended = true;
    for (const m of this.made) m.close?.();
  }
}
/** Lets a test begin workers; what they wait for does not keep it from ending. */
export function allowWorkers(): void {
  const { setTimeout: wait } = globalThis;
  const setTimeout = (...given: Parameters<typeof wait>) => wait(...given).unref();
  Object.assign(globalThis, { Worker: WorkerHere, setTimeout });
}

type Methods = Record<string, (...args: unknown[]) => unknown>;
const remote = (job: object, worker: WorkerHere): object =>
  new Proxy(job, {
    get(_, name) {
      if (name === releaseProxy) return () => {};
      // what is awaited is looked at for this
      if (name === 'then') return undefined;
      return async (...args: unknown[]) => {
        await new Promise(go => setTimeout(go));
        if (worker.ended) return new Promise(() => {});
        const result = await (job as Methods)[name as string](...args);
        if (worker.ended) return new Promise(() => {});
        if (!(result instanceof Object && proxied.has(result))) return result;
        worker.made.push(result);
        return remote(result, worker);
      };
    },
  });
export const wrap = (worker: WorkerHere): object => remote(worker.job, worker);
