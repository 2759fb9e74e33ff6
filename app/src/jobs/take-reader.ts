import type { Range, Reading, Samples } from '@essim/core';
import { TakeClient } from './take-client';

/** A take's first phrases as a reading of all of it, and until when they go, s. */
export interface Head {
  reading: Reading;
  until: number;
}

/**
 * Reads one take in a worker of its own, its first phrases ahead of the rest. What was found stays with it, so that it may be asked
 * before anybody waits for the answer.
 */
export class TakeReader {
  private readonly client = new TakeClient(true);

  /** @param together whether it may use every thread there is, once it reads all of it */
  constructor(private readonly together = true) {}

  private range: Range = 'auto';
  private opening: Promise<void> = Promise.resolve();
  private first: Promise<Head | null> | null = null;
  private all: Promise<Reading> | null = null;
  private report: (share: number) => void = () => {};

  /** Makes ready for reading at once. */
  practise(): this {
    this.client.practise();
    return this;
  }

  /** @param channels what it reads: shared memory is not copied, other memory is handed over to it */
  open(channels: Samples[], sampleRate: number, range: Range): this {
    this.range = range;
    this.opening = this.client.open(channels, sampleRate);
    this.opening.catch(() => {});
    return this;
  }

  /** The first phrases; null where reading them ahead is not worth it, or where they hold no sound that can be read. */
  head(): Promise<Head | null> {
    return (this.first ??= this.opening.then(() => this.client.readHead(this.range)).catch(() => null));
  }

  /** All of it, after its first phrases. @param onProgress of whoever asked last @throws the reading's errors; Stopped */
  read(onProgress: (share: number) => void = () => {}): Promise<Reading> {
    this.report = onProgress;
    this.all ??= this.head()
      .then(() => this.opening)
      .then(() => this.client.read(this.range, share => this.report(share), this.together));
    // one that is given up fails unheard
    this.all.catch(() => {});
    return this.all;
  }

  /** Has a running reading fail with Stopped. */
  stop(): void {
    this.client.stopReading();
  }

  /** Ends its worker; what it was not done with fails with Stopped. */
  close(): void {
    this.client.close();
  }
}
