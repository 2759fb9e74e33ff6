import type { JournalChange, Song } from '@essim/core';
import { toast } from 'sonner';
import { keepRecordings, type Held } from '../keeping/locks';
import { ConflictError, saveChanges } from '../keeping/songs';
import { useSession } from './state';

/**
 * Brings what was done into the database: one write at a time, what was done meanwhile together in the next. A write that fails is tried
 * again until it succeeds; until then it is said, with what to do.
 */

/** How long to wait before trying again, ms; the last is kept to. */
const AGAIN_MS = [1000, 3000, 10000, 30000];

interface Pending {
  song: Song;
  changes: JournalChange[];
}
let pending: Pending | null = null;
let writing: Promise<void> | null = null;
/** While a change waits, nothing it may name is swept away. */
let kept: Promise<Held> | null = null;
let failures = 0;
let timer: ReturnType<typeof setTimeout> | undefined;

/** Resolves when everything done so far is in the database, or cannot be written now. */
export const written = async (): Promise<void> => {
  while (writing) await writing;
};

/** Whether something done could not be written, so that leaving would lose it. */
export const unwritten = (): boolean => failures > 0;

/** Has a change of the open song written. */
export function save(song: Song, change: JournalChange): void {
  if (pending && pending.song.id !== song.id) pending = null;
  pending = { song, changes: [...(pending?.changes ?? []), change] };
  kept ??= keepRecordings();
  useSession.setState({ saved: failures ? 'failed' : 'saving' });
  writing ??= write();
}

/** Tries again at once, when asked to. */
export function saveAgain(): void {
  clearTimeout(timer);
  if (pending) writing ??= write();
}

/** Gives up what waits: the song is another tab's now. */
export function forgetPending(): void {
  pending = null;
  failures = 0;
  clearTimeout(timer);
  letGo();
}

function letGo(): void {
  void kept?.then(k => k.release());
  kept = null;
}

async function write(): Promise<void> {
  try {
    while (pending) {
      const { song, changes }: Pending = pending;
      pending = null;
      try {
        await saveChanges(song, changes);
        failures = 0;
        if (!pending) {
          letGo();
          useSession.setState({ saved: 'saved' });
        }
      } catch (error) {
        // what was done meanwhile goes after what could not be written
        const later = pending as Pending | null;
        pending = { song: later?.song ?? song, changes: [...changes, ...(later?.changes ?? [])] };
        return failed(error);
      }
    }
  } finally {
    writing = null;
  }
}

function failed(error: unknown): void {
  useSession.setState({ saved: 'failed' });
  if (error instanceof ConflictError) {
    forgetPending();
    useSession.setState({ elsewhere: true });
    toast.error(
      'This song was changed in another tab. Reload to go on from there; what was done here since is not kept.',
      {
        id: 'saving',
        duration: Infinity,
        action: { label: 'Reload', onClick: () => globalThis.location?.reload() },
      },
    );
    return;
  }
  const wait = AGAIN_MS[Math.min(failures, AGAIN_MS.length - 1)];
  failures++;
  const message = error instanceof Error ? error.message : String(error);
  toast.error(
    `The last change could not be saved (${message}). It is tried again; free some room on the shelf, or save the song as a bundle before closing.`,
    { id: 'saving', duration: Infinity, action: { label: 'Try now', onClick: saveAgain } },
  );
  timer = setTimeout(saveAgain, wait);
}
