import * as Comlink from 'comlink';
import { Stopped, type NoteEdit, type Range, type Reading, type ReadingCorrections } from '@essim/core';
import type { LiveNote } from '../player/voice.worklet';
import type { HeardAt } from '../player/urgency';
import type { PlannedTake, PreparedTake, TakeJob } from './take.worker';

/** The page's end of one take's worker. */
export class TakeClient {
  private readonly worker = new Worker(new URL('./take.worker.ts', import.meta.url), { type: 'module' });
  private readonly job = Comlink.wrap<TakeJob>(this.worker);
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
  private waiting: { edits: Record<string, NoteEdit>; done: (p: PlannedTake) => void } | null = null;

  constructor() {
    // a worker nobody waits for may end unheard
    this.ended.catch(() => {});
  }

  async open(channels: Float32Array[], sampleRate: number): Promise<void> {
    await this.alive(this.job.open(channels, sampleRate));
  }

  /** Says where the song plays and where in it the take is heard, so that what is heard next is rendered first. */
  attend(status: Float64Array, heard: HeardAt[]): void {
    void this.alive(this.job.attend(status, heard)).catch(() => {});
  }

  /** Reads the take with progress. @throws the reading's errors */
  read(range: Range, onProgress: (share: number) => void): Promise<Reading> {
    Atomics.store(this.stopFlag, 0, 0);
    return this.alive(this.job.read(range, this.stopFlag, Comlink.proxy(onProgress)));
  }

  /** The first phrases of a long take, ahead of the rest, and until when they go; null when it is not worth it. */
  readHead(range: Range): Promise<{ reading: Reading; until: number } | null> {
    return this.alive(this.job.readHead(range));
  }

  /** Asks a running reading to stop; it then fails with Stopped. */
  stopReading(): void {
    Atomics.store(this.stopFlag, 0, 1);
  }

  /** Takes a reading with its corrections. */
  async prepare(reading: Reading, corrections: ReadingCorrections): Promise<PreparedTake> {
    const facts = await this.alive(this.job.prepare(reading, corrections));
    this.prepared = true;
    return facts;
  }

  /** Plans the take; while one plan is being made only the newest next one waits. */
  plan(edits: Record<string, NoteEdit>, done: (p: PlannedTake) => void): void {
    this.waiting = { edits, done };
    if (!this.running) void this.work();
  }

  private async work(): Promise<void> {
    this.running = true;
    while (this.waiting) {
      const { edits, done } = this.waiting;
      this.waiting = null;
      try {
        done(await this.alive(this.job.plan(edits)));
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
    return this.alive(this.job.live(edits, from, to));
  }

  /** The reading as a tone, in shared memory. */
  tone(): Promise<Float32Array> {
    return this.alive(this.job.tone());
  }

  render(edits: Record<string, NoteEdit>): Promise<Float32Array[]> {
    return this.alive(this.job.render(edits));
  }

  /** Ends the worker; what is still asked of it fails with Stopped. */
  close(): void {
    this.closed = true;
    this.worker.terminate();
    this.end();
  }

  private alive<T>(answer: Promise<T>): Promise<T> {
    return Promise.race([answer, this.ended]);
  }
}
