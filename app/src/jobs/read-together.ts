import {
  divisions,
  lengthOf,
  readInPortions,
  ReadingPortion,
  Stopped,
  type PortionReader,
  type Range,
  type Reading,
  type Samples,
} from '@essim/core';
import { WorkerHost } from './host';
import type { PortionJob } from './portion.worker';

/** A portion shorter than this is not worth a thread, s. */
const SHORTEST = 20;
const MOST_THREADS = 4;

/**
 * Reads a long take on as many threads as the machine has, in portions divided at rests: the reading that one thread makes. Null when
 * it cannot be divided, or a thread fails: then it is read on one.
 * @param threads how many there may be @throws the reading's errors, and what onProgress throws
 */
export async function readTogether(
  channels: Samples[],
  sampleRate: number,
  range: Range,
  onProgress: (share: number) => void,
  threads = globalThis.navigator?.hardwareConcurrency ?? 1,
): Promise<Reading | null> {
  const seconds = lengthOf(channels[0]) / sampleRate;
  const cuts = divisions(channels, sampleRate, Math.min(threads, MOST_THREADS, Math.floor(seconds / SHORTEST)));
  if (!cuts.length || typeof Worker === 'undefined') return null;
  const hosts = cuts.map(
    () =>
      new WorkerHost<PortionJob>(
        new Worker(new URL('./portion.worker.ts', import.meta.url), { type: 'module' }),
        'reading a part of the voice',
      ),
  );
  try {
    const starts = [0, ...cuts];
    const far = hosts.map((host, i): PortionReader => {
      const opened = host.ask(job => job.open(channels, sampleRate, range, { from: starts[i], to: cuts[i] }));
      opened.catch(() => {});
      return {
        levels: () => host.ask(async job => (await opened, job.levels())),
        look: (gate, loud) => host.ask(job => job.look(gate, loud)),
        refine: path => host.ask(job => job.refine(path)),
        onsets: (notes, f0) => host.ask(job => job.onsets(notes, f0)),
      };
    });
    // this thread reads the last portion, for the others must be asked before it is busy
    const last = new ReadingPortion(channels, sampleRate, range, { from: cuts[cuts.length - 1], to: Infinity });
    const near: PortionReader = {
      levels: () => last.levels(),
      look: (gate, loud) => last.look(gate, loud, share => onProgress(0.05 + 0.55 * share)),
      refine: path => last.refine(path),
      onsets: (notes, f0) => last.onsets(notes, f0),
    };
    return await readInPortions(channels, sampleRate, cuts, [...far, near], { range, onProgress });
  } catch (error) {
    if (hosts.some(h => h.failure) && !(error instanceof Stopped)) return null;
    throw error;
  } finally {
    for (const host of hosts) host.end();
  }
}
