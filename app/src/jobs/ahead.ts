import type { Range, Reading, Samples, Take } from '@essim/core';
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
  /** Its sound as it is heard, where it is at hand by then. */
  sound: Samples[] | null;
  /** To be called once it is, and when it is given up. */
  goOn: () => void;
}

/** By the name whoever had them read gave. */
const readers = new Map<string, Ahead>();
/** A worker that has nothing to read yet: it is there by the time there is something. */
let ready: TakeReader | null = null;

const RANGE: Range = 'auto';
/** On one thread: the others are the page's, where somebody is busy. */
const newReader = () => new TakeReader(false);

export function warmUp(): void {
  ready ??= newReader().practise();
}

/**
 * Begins to read a recording: its first phrases at once, the rest when it is kept, for keeping it is what is waited for.
 * @param channels those chosen, handed over @param onHeard told of the first phrases, then of all of it @returns when all of it is read and kept, or it was given up
 */
export async function readAhead(
  name: string,
  channels: Float32Array[],
  sampleRate: number,
  onHeard: (reading: Reading, until: number) => void = () => {},
): Promise<void> {
  warmUpShared();
  const reader = (ready ?? newReader()).open(channels, sampleRate, RANGE);
  ready = null;
  let goOn = () => {};
  const named = new Promise<void>(resolve => (goOn = resolve));
  const ahead: Ahead = { reader, from: null, sound: null, goOn };
  giveUp(name);
  readers.set(name, ahead);
  try {
    const seen = reader.head().then(head => head && onHeard(head.reading, head.until));
    await Promise.all([seen, named]);
    const reading = await reader.read();
    onHeard(reading, reading.duration);
    await withFiles(async job => job.cacheReading(ahead.from!, reading)).catch(() => {});
  } catch {
    // it was given up, or whoever needs it reads it again and tells what is wrong with it
  }
  if (readers.get(name) === ahead) readers.delete(name);
  reader.close();
}

/** Says what a recording that is read is kept as. @param sound its chosen channels in shared memory, where they are at hand */
export function nameAhead(
  name: string,
  sourceId: string,
  channels: Take['channels'],
  sound: Samples[] | null = null,
): void {
  const ahead = readers.get(name);
  if (!ahead) return;
  ahead.from = { sourceId, channels, range: RANGE };
  ahead.sound = sound;
  ahead.goOn();
}

/** Resolves when the first phrases of a recording are read, or nobody reads them any more. */
export async function headAhead(name: string): Promise<void> {
  await readers.get(name)?.reader.head();
}

function giveUp(name: string): void {
  const ahead = readers.get(name);
  readers.delete(name);
  ahead?.reader.close();
  ahead?.goOn();
}

const isOf = (take: From) => (a: Ahead) =>
  a.from?.sourceId === take.sourceId && a.from.channels === take.channels && a.from.range === take.range;

/** The sound of a take that is being read, as it is heard; null when it is not, or its sound is not at hand. */
export const soundAhead = (take: From): Samples[] | null => [...readers.values()].find(isOf(take))?.sound ?? null;

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
  if (name !== undefined) return giveUp(name);
  for (const n of [...readers.keys()]) giveUp(n);
  coolDown();
}

/** Nothing more is to be read ahead for now; what is under way goes on. */
export function coolDown(): void {
  ready?.close();
  ready = null;
}
