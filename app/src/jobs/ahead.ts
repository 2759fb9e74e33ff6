import type { Range, Take } from '@essim/core';
import { withFiles } from './files-client';
import { warmUpShared } from './take-client';
import { TakeReader } from './take-reader';

/**
 * Recordings that are read while somebody still says what they are to be. The song they come to takes the reading over, however far it
 * has come.
 */

/** What a take's reading and sound are made from. */
type From = Pick<Take, 'sourceId' | 'range' | 'channels'>;

interface Ahead {
  reader: TakeReader;
  /** Known once the recording is kept. */
  from: From | null;
  /** Whether all of it was read and kept. */
  done: boolean;
}

/** By the name whoever had them read gave. */
const readers = new Map<string, Ahead>();
/** A worker that has nothing to read yet: it is there by the time there is something. */
let ready: TakeReader | null = null;

const RANGE: Range = 'auto';
/** On one thread: the others are the page's, where somebody is busy. */
const newReader = () => new TakeReader(false);

export function warmUp(): void {
  ready ??= newReader();
}

/** Begins to read a recording. @param channels those chosen, in shared memory @returns when all of it is read, or it was given up */
export async function readAhead(name: string, channels: Float32Array[], sampleRate: number): Promise<void> {
  warmUpShared();
  const reader = (ready ?? newReader()).open(channels, sampleRate, RANGE);
  ready = null;
  const ahead: Ahead = { reader, from: null, done: false };
  readers.get(name)?.reader.close();
  readers.set(name, ahead);
  try {
    await reader.read();
    ahead.done = true;
    await keep(name, ahead);
  } catch {
    // whoever needs it reads it again, and tells what is wrong with it
    forget(name, ahead);
  }
  reader.close();
}

function forget(name: string, ahead: Ahead): void {
  if (readers.get(name) === ahead) readers.delete(name);
}

/** Says what a recording that is read is kept as. */
export function nameAhead(name: string, sourceId: string, channels: Take['channels']): void {
  const ahead = readers.get(name);
  if (!ahead) return;
  ahead.from = { sourceId, channels, range: RANGE };
  void keep(name, ahead);
}

/** Keeps what is read, once it is known as what; then nothing of it needs to be held any more. */
async function keep(name: string, ahead: Ahead): Promise<void> {
  const { reader, from, done } = ahead;
  if (!done || !from) return;
  const reading = await reader.read();
  await withFiles(async job => job.cacheReading(from, reading)).catch(() => {});
  forget(name, ahead);
}

const isOf = (take: From) => (a: Ahead) =>
  a.from?.sourceId === take.sourceId && a.from.channels === take.channels && a.from.range === take.range;

/** The sound of a take that is being read, as it is heard; null when it is not. */
export const soundAhead = (take: From): Float32Array[] | null =>
  [...readers.values()].find(isOf(take))?.reader.channels ?? null;

/** Hands the reading of a take over; null when it was not begun. Whoever takes it ends it. */
export function takeAhead(take: From): TakeReader | null {
  for (const [name, ahead] of readers)
    if (isOf(take)(ahead)) {
      readers.delete(name);
      return ahead.reader;
    }
  return null;
}

/** Gives up what nobody took over, or one of them. */
export function forgetAhead(name?: string): void {
  for (const [n, { reader }] of readers)
    if (name === undefined || n === name) {
      reader.close();
      readers.delete(n);
    }
  if (name === undefined) coolDown();
}

/** Nothing more is to be read ahead for now; what is under way goes on. */
export function coolDown(): void {
  ready?.close();
  ready = null;
}
