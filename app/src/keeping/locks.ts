/**
 * Locks between tabs (Web Locks): a song has one writer, and recordings are not swept while one is coming in. Where a browser has none,
 * everybody is alone.
 */

const locks = (): LockManager | undefined => globalThis.navigator?.locks as LockManager | undefined;

/** A lock that is held until it is let go. */
export interface Held {
  release(): void;
}

const alone: Held = { release: () => {} };
const writerOf = (songId: string) => `essim song ${songId}`;

function hold(name: string, options: LockOptions): Promise<Held | null> {
  const manager = locks();
  if (!manager) return Promise.resolve(alone);
  return new Promise((given, failed) => {
    manager
      .request(name, options, lock => {
        if (!lock) return given(null);
        return new Promise<void>(release => given({ release }));
      })
      .catch(failed);
  });
}

/** Becomes the song's one writer; null while another tab is. */
export const becomeWriter = (songId: string): Promise<Held | null> => hold(writerOf(songId), { ifAvailable: true });

/** Becomes the song's writer when the tab that is lets go. @throws AbortError when it is not waited for any more */
export const waitToWrite = (songId: string, signal: AbortSignal): Promise<Held | null> =>
  hold(writerOf(songId), { signal });

/** Whether any song is open for writing, in any tab. */
export async function songsHeld(): Promise<boolean> {
  const held = (await locks()?.query())?.held ?? [];
  return held.some(l => l.name?.startsWith(writerOf('')));
}

const RECORDINGS = 'essim recordings';

/** While this runs, no recording is swept away: what comes in is not yet named by any song. */
export async function withRecordings<T>(work: () => Promise<T>): Promise<T> {
  const held = await hold(RECORDINGS, { mode: 'shared' });
  try {
    return await work();
  } finally {
    held?.release();
  }
}

/** The same from now on, until it is let go. */
export const keepRecordings = async (): Promise<Held> => (await hold(RECORDINGS, { mode: 'shared' })) ?? alone;

/** Runs when nothing is coming in, in no tab; else not at all. @returns whether it ran */
export async function whenNothingComesIn(work: () => Promise<void>): Promise<boolean> {
  const held = await hold(RECORDINGS, { ifAvailable: true });
  if (!held) return false;
  try {
    await work();
    return true;
  } finally {
    held.release();
  }
}
