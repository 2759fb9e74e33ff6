import * as Comlink from 'comlink';
import { FIRST_WORD_MS, inWorker, SharedHost, WorkerHost } from './host';

// what passes between threads is what is tested here
jest.mock('comlink', () => jest.requireActual<object>('comlink/dist/umd/comlink'));

/** A worker whose script runs here; null: it never comes. */
class FakeWorker extends EventTarget {
  terminated = false;
  private readonly channel = new MessageChannel();

  constructor(script: object | null) {
    super();
    const { port1, port2 } = this.channel;
    port1.onmessage = e => this.dispatchEvent(new MessageEvent('message', { data: e.data }));
    if (script) Comlink.expose(script, port2 as unknown as Comlink.Endpoint);
  }
  postMessage(message: unknown) {
    if (!this.terminated) this.channel.port1.postMessage(message);
  }
  terminate() {
    this.terminated = true;
    this.channel.port1.close();
  }
  breaks(message: string) {
    this.dispatchEvent(Object.assign(new Event('error'), { message }));
  }
}
interface Sums {
  add(a: number, b: number): number;
}
const sums: Sums = { add: (a, b) => a + b };
const begin = (script: object | null) => {
  const worker = new FakeWorker(script);
  return { worker, host: new WorkerHost<Sums>(worker as unknown as Worker, 'counting') };
};
const ask = (host: WorkerHost<Sums>) => host.ask(job => job.add(2, 3) as unknown as Promise<number>);

describe('a worker', () => {
  it('answers what it is asked', async () => {
    const { host } = begin(sums);
    expect(await ask(host)).toBe(5);
    host.end();
    await expect(ask(host)).rejects.toThrow('stopped');
  });

  it('that breaks fails what is asked of it, before and after', async () => {
    const { worker, host } = begin({ add: () => new Promise(() => {}) });
    const asked = ask(host);
    worker.breaks('out of memory');
    await expect(asked).rejects.toThrow('counting broke off: out of memory');
    await expect(ask(host)).rejects.toThrow('counting broke off');
    expect(host.failure?.name).toBe('WorkerFailure');
  });

  it('that cannot be loaded says so', async () => {
    const { worker, host } = begin(null);
    worker.breaks('');
    await expect(ask(host)).rejects.toThrow('counting broke off, for it could not be loaded; is the server there?');
  });

  it('that does one thing is ended, whatever becomes of it', async () => {
    for (const script of [sums, { add: () => Promise.reject(new Error('too much')) }]) {
      const worker = new FakeWorker(script);
      await inWorker<Sums, number>(worker as unknown as Worker, 'counting', job => job.add(1, 1) as never).catch(
        () => {},
      );
      expect(worker.terminated).toBe(true);
    }
  });
});

describe('a worker of which nothing is heard', () => {
  beforeEach(() => jest.useFakeTimers({ doNotFake: ['setImmediate', 'queueMicrotask', 'nextTick'] }));
  afterEach(() => jest.useRealTimers());
  const turns = async () => {
    for (let i = 0; i < 5; i++) await new Promise(done => setImmediate(done));
  };

  it('is given up, so that what waits for it can be tried again', async () => {
    const { worker, host } = begin(null);
    const asked = ask(host);
    jest.advanceTimersByTime(FIRST_WORD_MS - 1);
    expect(host.failure).toBeNull();
    jest.advanceTimersByTime(1);
    await expect(asked).rejects.toThrow('counting did not begin, for nothing came from the server; try again');
    expect(worker.terminated).toBe(true);
  });

  it('is not mistaken for one that works long without a word', async () => {
    const { host } = begin({ add: () => new Promise(() => {}) });
    void ask(host).catch(() => {});
    await turns();
    jest.advanceTimersByTime(100 * FIRST_WORD_MS);
    expect(host.failure).toBeNull();
    host.end();
  });
});

describe('a worker that several ask', () => {
  const pause = (ms: number) => new Promise(r => setTimeout(r, ms));

  it('is begun when it is wanted, once, and ends when nobody has asked for a while', async () => {
    const begun: FakeWorker[] = [];
    const shared = new SharedHost<Sums>(() => {
      const { worker, host } = begin(sums);
      begun.push(worker);
      return host;
    }, 40);
    const two = () => shared.ask(job => job.add(1, 1) as unknown as Promise<number>);
    expect(await Promise.all([two(), two()])).toEqual([2, 2]);
    expect(await two()).toBe(2);
    expect(begun.map(w => w.terminated)).toEqual([false]);
    await pause(120);
    expect(begun.map(w => w.terminated)).toEqual([true]);
    expect(await two()).toBe(2);
    expect(begun).toHaveLength(2);
    begun[1].breaks('out of memory');
    expect(await two()).toBe(2);
    expect(begun).toHaveLength(3);
  });

  it('does not end while it works', async () => {
    let answer = (_: number) => {};
    const { worker, host } = begin({ add: () => new Promise<number>(r => (answer = r)) });
    const shared = new SharedHost<Sums>(() => host, 20);
    const asked = shared.ask(job => job.add(1, 1) as unknown as Promise<number>);
    await pause(80);
    expect(worker.terminated).toBe(false);
    answer(7);
    expect(await asked).toBe(7);
  });
});
