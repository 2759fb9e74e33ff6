import { readRecipe, type Recipe } from '@essim/core';
import * as Comlink from 'comlink';
import { toast } from 'sonner';
import { create } from 'zustand';
import { inWorker } from '../jobs/host';
import type { RecipeWorker } from '../jobs/recipe.worker';

/** Recipe files, the same that the command line takes, followed in songs of the shelf. */

export interface RecipeRow {
  songId: string;
  name: string;
  status: 'waiting' | 'following' | 'done' | 'failed';
  /** Steps begun. */
  step: number;
  /** What it came to, in words. */
  told?: string;
}

interface Recipes {
  file: string;
  recipe: Recipe | null;
  /** As it was written, for the worker. */
  written: unknown;
  rows: RecipeRow[];
  running: boolean;
}

const closed: Recipes = { file: '', recipe: null, written: null, rows: [], running: false };
export const useRecipes = create<Recipes>(() => closed);
const get = useRecipes.getState;
const set = useRecipes.setState;
const stopFlag = new Int32Array(new SharedArrayBuffer(4));

export const RECIPE_ENDING = '.json';
export const isRecipe = (file: { name: string }): boolean => file.name.toLowerCase().endsWith(RECIPE_ENDING);
export const isMelody = (file: { name: string }): boolean => /\.midi?$/i.test(file.name);
const LARGEST_BYTES = 20e6;

/** A recipe as it was written, the files it names in the place of their names. */
function withArguments(written: unknown, recipe: Recipe): unknown {
  const { steps, ...rest } = written as { steps: object[] };
  return { ...rest, steps: steps.map((step, i) => ({ ...step, with: recipe[i].args })) };
}

/**
 * Reads a recipe file; one that cannot be used is refused with the reason.
 * @param beside files chosen with it, which its steps may name
 */
export async function openRecipe(file: File, beside: readonly File[] = []): Promise<void> {
  if (get().running) return;
  try {
    if (file.size > LARGEST_BYTES) throw new Error('it is larger than 20 MB');
    const written: unknown = JSON.parse(await file.text());
    const named = new Map<string, Uint8Array>();
    for (const f of beside)
      if (f !== file && f.size <= LARGEST_BYTES) named.set(f.name, new Uint8Array(await f.arrayBuffer()));
    const recipe = readRecipe(written, name => {
      const bytes = named.get(name.split('/').pop()!);
      if (!bytes) throw new Error(`choose ${name} together with the recipe`);
      return bytes;
    });
    set({ ...closed, file: file.name, recipe, written: withArguments(written, recipe) });
  } catch (error) {
    const why =
      error instanceof SyntaxError ? 'it is not JSON' : error instanceof Error ? error.message : String(error);
    toast.error(`${file.name} cannot be followed: ${why}.`, { duration: 12000 });
  }
}

export function closeRecipe(): void {
  if (!get().running) set(closed);
}

/** Stops after the step that is being done; the song it stops in stays as it was. */
export const stopRecipe = (): void => void Atomics.store(stopFlag, 0, 1);

const changeRow = (songId: string, fields: Partial<RecipeRow>) =>
  set(s => ({ rows: s.rows.map(r => (r.songId === songId ? { ...r, ...fields } : r)) }));

/** Follows the recipe in songs, one after the other; what fails in one leaves that one as it was. */
export async function followInSongs(songs: readonly { id: string; name: string }[]): Promise<void> {
  const { recipe, written, running } = get();
  if (!recipe || running) return;
  Atomics.store(stopFlag, 0, 0);
  set({
    running: true,
    rows: songs.map(({ id, name }) => ({ songId: id, name, status: 'waiting', step: 0 })),
  });
  for (const { id } of songs) {
    if (Atomics.load(stopFlag, 0)) {
      changeRow(id, { status: 'failed', told: 'stopped' });
      continue;
    }
    changeRow(id, { status: 'following' });
    try {
      const made = await inWorker<RecipeWorker, Awaited<ReturnType<RecipeWorker['follow']>>>(
        new Worker(new URL('../jobs/recipe.worker.ts', import.meta.url), { type: 'module' }),
        'following the recipe',
        job =>
          job.follow(
            id,
            written,
            stopFlag,
            Comlink.proxy((step: number) => changeRow(id, { step })),
          ),
      );
      if ('failed' in made) changeRow(id, { status: 'failed', told: made.failed });
      else
        changeRow(id, {
          status: 'done',
          step: recipe.length,
          told: made.steps ? `${made.steps} in its undo history` : 'nothing to change',
        });
    } catch (error) {
      changeRow(id, { status: 'failed', told: error instanceof Error ? error.message : String(error) });
    }
  }
  set({ running: false });
}
