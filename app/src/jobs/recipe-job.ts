import { followRecipe, Listener, type History, type JournalChange, type Recipe } from '@essim/core';
import { newId } from '../keeping/ids';
import { becomeWriter } from '../keeping/locks';
import { recording } from '../keeping/recordings';
import { loadHistory, saveChanges } from '../keeping/songs';
import { cachedReading, cacheReading, keepSource } from '../keeping/sources';

/** What following a recipe in one song came to. */
export type RecipeOutcome = { steps: number } | { failed: string };

/**
 * Follows a recipe in a song on the shelf: each step becomes an entry of its journal, all of them are written at once or none is.
 * @param onStep told how many steps are done; false stops, and nothing is written
 */
export async function followIn(
  songId: string,
  recipe: Recipe,
  onStep: (done: number) => boolean,
): Promise<RecipeOutcome> {
  const writer = await becomeWriter(songId);
  if (!writer) return { failed: 'it is open in a tab; close it there first' };
  try {
    const { history: opened } = await loadHistory(songId);
    const listener = new Listener({
      channels: async id => (await recording(songId, id)).channels,
      reading: cachedReading,
      // readings are a cache: nobody waits for the disk
      keepReading: (take, reading) => void cacheReading(take, reading).catch(() => {}),
    });
    let done = 0;
    const made = await followRecipe(opened.song, recipe, {
      scoreFor: (song, tracks, edited) => {
        if (!onStep(done++)) throw new Error('stopped');
        return listener.score(song, tracks, edited);
      },
      findAlignment: (song, follower, ties) => listener.findAlignment(song, follower, ties),
      bounce: async (song, track) =>
        keepSource(`${track.name} as edited`, song.sampleRate, await listener.bounced(song, track)),
      newId,
    });
    let history: History = opened;
    const changes: JournalChange[] = [];
    for (const { label, song } of made) {
      const moved = history.to(label, song);
      if (!moved) continue;
      history = moved.history;
      changes.push(moved.change);
    }
    if (!onStep(done)) throw new Error('stopped');
    if (changes.length) await saveChanges(history.song, changes);
    return { steps: changes.length };
  } catch (error) {
    return { failed: error instanceof Error ? error.message : String(error) };
  } finally {
    writer.release();
  }
}
