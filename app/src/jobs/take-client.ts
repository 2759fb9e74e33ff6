import * as Comlink from 'comlink';
import type { NoteEdit, Range, Reading, ReadingCorrections } from '@essim/core';
import type { PlannedTake, PreparedTake, TakeJob } from './take.worker';

/** The page's end of one take's worker. */
export class TakeClient {
  private readonly worker = new Worker(new URL('./take.worker.ts', import.meta.url), { type: 'module' });
  private readonly job = Comlink.wrap<TakeJob>(this.worker);
  private readonly stopFlag = new Int32Array(new SharedArrayBuffer(4));
  private running = false;
  /** Whether it can plan and render. */
  prepared = false;
  private waiting: { edits: Record<string, NoteEdit>; done: (p: PlannedTake) => void } | null = null;

  async open(channels: Float32Array[], sampleRate: number): Promise<void> {
    await this.job.open(channels, sampleRate);
  }

  /** Reads the take with progress. @throws the reading's errors */
  read(range: Range, onProgress: (share: number) => void): Promise<Reading> {
    Atomics.store(this.stopFlag, 0, 0);
    return this.job.read(range, this.stopFlag, Comlink.proxy(onProgress));
  }

  /** Asks a running reading to stop; it then fails with Stopped. */
  stopReading(): void {
    Atomics.store(this.stopFlag, 0, 1);
  }

  /** Takes a reading with its corrections. */
  async prepare(reading: Reading, corrections: ReadingCorrections): Promise<PreparedTake> {
    const facts = await this.job.prepare(reading, corrections);
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
      done(await this.job.plan(edits));
    }
    this.running = false;
  }

  sound(edits: Record<string, NoteEdit>, from: number, to: number): Promise<Float32Array[]> {
    return this.job.sound(edits, from, to);
  }

  /** The reading as a tone, in shared memory. */
  tone(): Promise<Float32Array> {
    return this.job.tone();
  }

  render(edits: Record<string, NoteEdit>): Promise<Float32Array[]> {
    return this.job.render(edits);
  }

  close(): void {
    this.worker.terminate();
  }
}
