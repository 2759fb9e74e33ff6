import { readRecipe } from '@essim/core';
import * as Comlink from 'comlink';
import { followIn, type RecipeOutcome } from './recipe-job';

/** Recordings and readings of the songs a recipe is followed in never pass the page. */
const job = {
  /** @param recipe as it was written; @param stop set to 1 to stop it */
  follow(songId: string, recipe: unknown, stop: Int32Array, onStep: (done: number) => void): Promise<RecipeOutcome> {
    return followIn(songId, readRecipe(recipe), done => {
      onStep(done);
      return !Atomics.load(stop, 0);
    });
  },
};
export type RecipeWorker = typeof job;

Comlink.expose(job);
