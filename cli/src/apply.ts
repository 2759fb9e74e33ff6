import { fork, type ChildProcess } from 'node:child_process';
import { existsSync, mkdirSync, statSync } from 'node:fs';
import { basename, dirname, join, resolve } from 'node:path';
import { followRecipe, RecipeError, readRecipe, type Recipe } from '@essim/core';
import { bytesOf, forgetInputs, jsonOf, named, requireOutputs, UserError } from './files';
import { hearing, openSongFile, saveSongFile } from './song-file';

export interface ApplyOptions {
  output: string;
  jobs: number;
}

/** Follows a recipe in songs. */
export async function applyCommand(recipePath: string, songPaths: string[], options: ApplyOptions): Promise<void> {
  const recipe = recipeAt(recipePath);
  const folder = statSync(options.output, { throwIfNoEntry: false })?.isDirectory() ?? false;
  if (songPaths.length === 1) {
    const output = folder ? join(options.output, basename(songPaths[0])) : options.output;
    return applyTo(recipe, recipePath, songPaths[0], output);
  }
  const outputs = outputsFor(songPaths, options.output);
  const failed =
    options.jobs > 1
      ? await inProcesses(recipePath, songPaths, outputs, options.jobs)
      : await oneByOne(recipe, recipePath, songPaths, outputs);
  if (failed.length) throw new UserError(`${failed.length} of ${songPaths.length} songs failed: ${failed.join('; ')}`);
}

/** A recipe from a file; files it names lie beside it, or where it is called from. */
function recipeAt(path: string): Recipe {
  const opened = (name: string) => {
    const beside = resolve(dirname(path), name);
    return bytesOf(existsSync(beside) ? beside : name);
  };
  return named(path, () => readRecipe(jsonOf(path), opened));
}

async function applyTo(recipe: Recipe, recipePath: string, path: string, output: string): Promise<void> {
  const opened = await openSongFile(path);
  try {
    requireOutputs(output);
    let count = 0;
    const made = await hearing(path, () =>
      followRecipe(opened.song, recipe, {
        scoreFor: (song, tracks, edited) => opened.listener.score(song, tracks, edited),
        findAlignment: (song, follower, ties) => opened.listener.findAlignment(song, follower, ties),
        bounce: async (song, track) =>
          opened.keep(`${track.name} as edited`, await opened.listener.bounced(song, track)),
        // names of records mean nothing, but the same work makes the same file
        newId: () => `recipe-${++count}`,
      }),
    );
    await saveSongFile(output, made[made.length - 1]?.song ?? opened.song, id => opened.packed(id));
  } catch (error) {
    if (error instanceof RecipeError) throw new UserError(`${recipePath}: ${path}: ${error.message}`);
    throw error;
  } finally {
    opened.close();
  }
}

/** Where each song goes: the folder, under its own name. @throws UserError */
function outputsFor(paths: readonly string[], folder: string): string[] {
  if (statSync(folder, { throwIfNoEntry: false })?.isFile())
    throw new UserError(`${folder}: with several songs this must be a folder`);
  const names = paths.map(p => basename(p));
  const twice = names.find((n, i) => names.indexOf(n) !== i);
  if (twice) throw new UserError(`${twice}: two songs have this name, and both would be written to it`);
  try {
    mkdirSync(folder, { recursive: true });
  } catch (error) {
    throw new UserError(`${folder}: it cannot be made (${(error as NodeJS.ErrnoException).code})`);
  }
  return names.map(n => join(folder, n));
}

async function oneByOne(recipe: Recipe, recipePath: string, paths: string[], outputs: string[]): Promise<string[]> {
  const failed: string[] = [];
  for (const [i, path] of paths.entries()) {
    try {
      await applyTo(recipe, recipePath, path, outputs[i]);
    } catch (error) {
      if (!(error instanceof UserError)) throw error;
      failed.push(error.message);
    }
  }
  return failed;
}

/** A song to work on, as its process is told of it. */
interface Order {
  path: string;
  output: string;
}
/** What became of it. */
interface Done {
  wrong: string | null;
}

/** The same, so many songs at once in so many processes; a process that breaks off takes no song but its own with it. */
async function inProcesses(recipePath: string, paths: string[], outputs: string[], jobs: number): Promise<string[]> {
  const failed: (string | undefined)[] = [];
  let next = 0;
  const work = async () => {
    let hand: Hand | null = null;
    for (let i = next++; i < paths.length; i = next++) {
      if (!hand?.there) hand = new Hand(recipePath);
      const wrong = await hand.work({ path: paths[i], output: outputs[i] });
      if (wrong !== null) failed[i] = wrong;
    }
    hand?.end();
  };
  await Promise.all(Array.from({ length: Math.min(jobs, paths.length) }, work));
  return failed.filter(f => f !== undefined);
}

/** One process that follows a recipe in song after song, so that it starts once. */
class Hand {
  private readonly child: ChildProcess;
  private said = '';

  constructor(recipePath: string) {
    // process.execArgv goes along
    this.child = fork(process.argv[1], ['apply-in-turn', recipePath], { stdio: ['ignore', 'ignore', 'pipe', 'ipc'] });
    this.child.stderr!.on('data', (data: Buffer) => (this.said = (this.said + data.toString()).slice(-2000)));
  }

  /** Whether it can be given work. */
  get there(): boolean {
    return this.child.connected;
  }

  /** @returns what went wrong; null when nothing did */
  work(order: Order): Promise<string | null> {
    const { child } = this;
    return new Promise(done => {
      const over = (wrong: string | null) => {
        child.off('message', heard).off('error', broken).off('close', broken);
        done(wrong);
      };
      const heard = ({ wrong }: Done) => over(wrong);
      const broken = (why: unknown) => {
        const last = why instanceof Error ? why.message : (this.said.trim().split('\n').at(-1) ?? '');
        over(`${order.path}: it broke off${last ? ` (${last})` : ''}`);
      };
      child.on('message', heard).once('error', broken).once('close', broken);
      child.send(order);
    });
  }

  end(): void {
    if (this.there) this.child.disconnect();
  }
}

/** The other side: follows a recipe in the songs its parent names, until that has no more. */
export async function applyInTurn(recipePath: string): Promise<void> {
  const recipe = recipeAt(recipePath);
  process.on('message', ({ path, output }: Order) => {
    void applyTo(recipe, recipePath, path, output)
      .then(
        () => null,
        (error: unknown) => (error instanceof Error ? error.message : String(error)),
      )
      .then(wrong => {
        forgetInputs();
        process.send?.({ wrong } satisfies Done);
      });
  });
  await new Promise<void>(done => process.once('disconnect', done));
}
