import * as Comlink from 'comlink';
import { Stopped, type NoteEdit, type Range, type Reading, type ReadingCorrections } from '@essim/core';
import type { LiveNote } from '../player/voice.worklet';
import type { HeardAt } from '../player/urgency';
import type { Bearing } from '../store/bearing';
import type { PlannedTake, PreparedTake, TakeJob } from './take-job';
import type { TakeHost } from './take.worker';

interface Host {
  worker: Worker;
  remote: Comlink.Remote<TakeHost>;
  takes: number;
}

/** Workers that several takes share; one that has none left is ended. Where there are more than two processors one is left to the page. */
const shared: Host[] = [];
const MOST_SHARED = Math.max(2, Math.min(4, (globalThis.navigator?.hardwareConcurrency ?? 2) - 1));

function newHost(): Host {
  const worker = new Worker(new URL('./take.worker.ts', import.meta.url), { type: 'module' });
  return { worker, remote: Comlink.wrap<TakeHost>(worker), takes: 0 };
}

function sharedHost(): Host {
  if (shared.length < MOST_SHARED) shared.push(newHost());
  return shared.reduce((least, h) => (h.takes < least.takes ? h : least));
}

/** The page's end of one take's computation in a worker. */
export class TakeClient {
  private readonly host: Host;
  private readonly job: Promise<Comlink.Remote<TakeJob>>;
  private readonly stopFlag = new Int32Array(new SharedArrayBuffer(4));
  private running = false;
  private end: () => void = () => {};
  /** Fails when the worker is ended, so that nothing waits for it for ever. */
  private readonly ended = new Promise<never>((_, fail) => {
    this.end = () => fail(new Stopped('the take was closed'));
  });
  private closed = false;
  /** Whether it can plan and render. */
  prepared = false;
  private waiting: { edits: Record<string, NoteEdit>; bearing: Bearing | null; done: (p: PlannedTake) => void } | null =
    null;

  /** @param alone in a worker of its own, for what takes long: reading. It ends with the client, whatever it does */
  constructor(private readonly alone = false) {
    this.host = alone ? newHost() : sharedHost();
    this.host.takes++;
    this.job = this.host.remote.begin() as unknown as Promise<Comlink.Remote<TakeJob>>;
    // a worker nobody waits for may end unheard
    this.ended.catch(() => {});
    this.job.catch(() => {});
  }

  async open(channels: Float32Array[], sampleRate: number): Promise<void> {
    await this.ask(job => job.open(channels, sampleRate));
  }

  /** Says where the song plays and where in it the take is heard, so that what is heard next is rendered first. */
  attend(status: Float64Array, heard: HeardAt[]): void {
    void this.ask(job => job.attend(status, heard)).catch(() => {});
  }

  /** Reads the take with progress. @throws the reading's errors */
  read(range: Range, onProgress: (share: number) => void): Promise<Reading> {
    Atomics.store(this.stopFlag, 0, 0);
    return this.ask(job => job.read(range, this.stopFlag, Comlink.proxy(onProgress)));
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
  plan(edits: Record<string, NoteEdit>, bearing: Bearing | null, done: (p: PlannedTake) => void): void {
    this.waiting = { edits, bearing, done };
    if (!this.running) void this.work();
  }

  private async work(): Promise<void> {
    this.running = true;
    while (this.waiting) {
      const { edits, bearing, done } = this.waiting;
      this.waiting = null;
      try {
        done(await this.ask(job => job.plan(edits, bearing)));
      } catch (error) {
        this.running = false;
        if (this.closed) return;
        throw error;
      }
    }
    this.running = false;
  }

  /** A span of the take with these edits, ready to be sung live. Source samples. */
  live(edits: Record<string, NoteEdit>, from: number, to: number): Promise<LiveNote> {
    return this.ask(job => job.live(edits, from, to));
  }

  /** The reading as a tone, in shared memory. */
  tone(): Promise<Float32Array> {
    return this.ask(job => job.tone());
  }

  render(edits: Record<string, NoteEdit>, bearing: Bearing | null = null): Promise<Float32Array[]> {
    return this.ask(job => job.render(edits, bearing));
  }

  /** Ends it; what is still asked of it fails with Stopped. */
  close(): void {
    if (this.closed) return;
    this.closed = true;
    this.end();
    const { host } = this;
    if (--host.takes && !this.alone) {
      void this.job.then(job => job.close().then(() => job[Comlink.releaseProxy]()));
      return;
    }
    host.worker.terminate();
    const i = shared.indexOf(host);
    if (i >= 0) shared.splice(i, 1);
  }

  private ask<T>(use: (job: Comlink.Remote<TakeJob>) => Promise<T>): Promise<T> {
    return Promise.race([this.job.then(use), this.ended]);
  }
}
