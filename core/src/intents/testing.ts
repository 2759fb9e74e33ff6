import { Score, type TakeViews } from '../score';
import type { Song } from '../song';
import { followRecipe, readRecipe, type Kitchen } from './recipe';

/** A step of a recipe as it is written. */
export interface WrittenStep {
  do: string;
  on?: object;
  with?: object;
}

/** Follows steps over songs whose takes are known. @returns the song they lead to */
export async function followed(start: Song, steps: readonly WrittenStep[], takes: TakeViews): Promise<Song> {
  let count = 0;
  const kitchen: Kitchen = {
    scoreFor: s => Promise.resolve(new Score(s, takes)),
    findAlignment: () => Promise.reject(new Error('nobody follows')),
    newId: () => `new-${++count}`,
  };
  const all = await followRecipe(start, readRecipe({ recipe: 1, steps }), kitchen);
  return all[all.length - 1].song;
}
