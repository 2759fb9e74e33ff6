import * as Comlink from 'comlink';
import {
  Stopped,
  type Edits,
  type Range,
  type Reading,
  type ReadingCorrections,
  type Samples,
  type TakeSound,
  type TakeSurroundings,
} from '@essim/core';
import type { HeardAt } from '../player/urgency';
import type { LiveNote } from '../player/held-voice';
import { WorkerHost } from './host';
import type { PlannedTake, PreparedTake, TakeJob } from './take-job';
import type { TakeHost } from './take.worker';

interface Host {
  host: WorkerHost<TakeHost>;
  takes: number;
}

/** Workers that several takes share; one that has none left is ended. Where there are more than two processors one is left to the page. */
const shared: Host[] = [];
const MOST_SHARED = Math.max(2, Math.min(4, (globalThis.navigator?.hardwareConcurrency ?? 2) - 1));

function newHost(does: string): Host {
  const worker = new Worker(new URL('./take.worker.ts', import.meta.url), { type: 'module' });
  return { host: new WorkerHost<TakeHost>(worker, does), takes: 0 };
}

function sharedHost(): Host {
  // one that broke is of no use to anybody
  for (const h of shared.filter(s => s.host.failure)) shared.splice(shared.indexOf(h), 1);
  const idle = shared.find(h => !h.takes);
  if (idle) return idle;
  if (shared.length < MOST_SHARED) shared.push(newHost('rendering the voice'));
  return shared.reduce((least, h) => (h.takes < least.takes ? h : least));
}

/** Has a worker to share come before a take needs one. */
export function warmUpShared(): void {
  if (!shared.length) shared.push(newHost('rendering the voice'));
}

interface Wanted {
  edits: Edits;
  around: TakeSurroundings | null;
  done: (p: PlannedTake) => void;
  failed: (error: unknown) => void;
}

/** The page's end of one take's computation in a worker. */
export class TakeClient {
  private readonly of: Host;
  private readonly job: Promise<Comlink.Remote<TakeJob>>;
  /** The same once it is there, so that what is asked is on its way before the page draws what was done. */
  private there: Comlink.Remote<TakeJob> | null = null;
  private readonly stopFlag = new Int32Array(new SharedArrayBuffer(4));
  private running = false;
  private end: () => void = () => {};
  private readonly ended = new Promise<never>((_, fail) => {
    this.end = () => fail(new Stopped('the take was closed'));
  });
  private closed = false;
  /** Whether it can plan and render. */
  prepared = false;
  private waiting: Wanted | null = null;
  /** What the worker was told last of what surrounds the take; it is long and seldom changes. */
  private told: TakeSurroundings | null | undefined;

  /** @param alone in a worker of its own, for what takes long: reading. It ends with the client, whatever it does */
  constructor(private readonly alone = false) {
    this.of = alone ? newHost('reading the voice') : sharedHost();
    this.of.takes++;
    this.job = this.of.host.ask(host => host.begin() as unknown as Promise<Comlink.Remote<TakeJob>>);
    // a worker nobody waits for may end unheard
    this.ended.catch(() => {});
    this.job.then(
      job => void (this.there = job),
      () => {},
    );
  }

  /** Why it can do nothing more; null while it can. */
  get failure(): Error | null {
    return this.of.host.failure;
  }

  /** Shared memory is not copied; other memory is handed over, and is no longer the caller's. */
  async open(channels: Samples[], sampleRate: number): Promise<void> {
    const own = channels.flatMap(({ buffer }) => (buffer instanceof ArrayBuffer ? [buffer] : []));
    await this.ask(job => job.open(Comlink.transfer(channels, [...new Set(own)]), sampleRate));
  }

  /** Has it read something made up, so that what is read next is read faster. */
  practise(): void {
    void this.ask(job => job.practise()).catch(() => {});
  }

  /** Says where the song plays and where in it the take is heard, so that what is heard next is rendered first. */
  attend(status: Float64Array, heard: HeardAt[]): void {
    void this.ask(job => job.attend(status, heard)).catch(() => {});
  }

  /** Reads the take with progress. @param together on as many threads as there are @throws the reading's errors */
  read(range: Range, onProgress: (share: number) => void, together = true): Promise<Reading> {
    Atomics.store(this.stopFlag, 0, 0);
    const report = Comlink.proxy(onProgress);
    return this.ask(job =>
      together ? job.readTogether(range, this.stopFlag, report) : job.read(range, this.stopFlag, report),
    );
  }

  /** The first phrases of a long take, ahead of the rest, and until when they go; null when it is not worth it. */
  readHead(range: Range): Promise<{ reading: Reading; until: number } | null> {
    return this.ask(job => job.readHead(range));
  }

  /** Asks a running reading to stop; it then fails with Stopped. */
  stopReading(): void {
    Atomics.store(this.stopFlag, 0, 1);
  }

  /** Takes a reading with its corrections. */
  async prepare(reading: Reading, corrections: ReadingCorrections): Promise<PreparedTake> {
    const facts = await this.ask(job => job.prepare(reading, corrections));
    this.prepared = true;
    return facts;
  }

  /** Plans the take; while one plan is being made only the newest next one waits. */
  plan(
    edits: Edits,
    around: TakeSurroundings | null,
    done: (p: PlannedTake) => void,
    failed: (error: unknown) => void = () => {},
  ): void {
    this.waiting = { edits, around, done, failed };
    if (!this.running) void this.work();
  }

  private async work(): Promise<void> {
    this.running = true;
    while (this.waiting) {
      const { edits, around, done, failed } = this.waiting;
      this.waiting = null;
      const news = around === this.told ? undefined : around;
      this.told = around;
      try {
        done(await this.ask(job => job.plan(edits, news)));
      } catch (error) {
        this.told = undefined;
        if (this.closed) break;
        failed(error);
      }
    }
    this.running = false;
  }

  /** A span of the take with these edits, ready to be sung live. Source samples. */
  live(edits: Edits, around: TakeSurroundings | null, from: number, to: number): Promise<LiveNote> {
    return this.ask(job => job.live(edits, around, from, to));
  }

  /** What its sound tells beside the reading. */
  sound(): Promise<TakeSound> {
    return this.ask(job => job.sound());
  }

  /** The reading as a tone, in shared memory. */
  tone(): Promise<Float32Array> {
    return this.ask(job => job.tone());
  }

  render(edits: Edits, around: TakeSurroundings | null = null): Promise<Float32Array[]> {
    return this.ask(job => job.render(edits, around));
  }

  /** The same in one channel, as it is compared with others. */
  renderCompared(edits: Edits, around: TakeSurroundings | null): Promise<Float32Array> {
    return this.ask(job => job.renderCompared(edits, around));
  }

  /** Ends it; what is still asked of it fails with Stopped. */
  close(): void {
    if (this.closed) return;
    this.closed = true;
    this.end();
    const { of } = this;
    if (--of.takes && !this.alone) {
      void this.job.then(job => job.close().then(() => job[Comlink.releaseProxy]())).catch(() => {});
      return;
    }
    of.host.end();
    const i = shared.indexOf(of);
    if (i >= 0) shared.splice(i, 1);
  }

  private ask<T>(use: (job: Comlink.Remote<TakeJob>) => Promise<T>): Promise<T> {
    // a worker that broke fails everything, also what its jobs were asked
    return Promise.race([this.of.host.ask(() => (this.there ? use(this.there) : this.job.then(use))), this.ended]);
  }
}
