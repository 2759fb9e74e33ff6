import { spawn } from 'node:child_process';
import { mkdirSync, statSync } from 'node:fs';
import { basename, join } from 'node:path';
import { followRecipe, RecipeError, readRecipe, type Recipe } from '@essim/core';
import { jsonOf, named, requireOutputs, UserError } from './files';
import { hearing, openSongFile, saveSongFile } from './song-file';

export interface ApplyOptions {
  output: string;
  jobs: number;
}

/** Follows a recipe in songs. */
export async function applyCommand(recipePath: string, songPaths: string[], options: ApplyOptions): Promise<void> {
  const recipe = named(recipePath, () => readRecipe(jsonOf(recipePath)));
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

async function applyTo(recipe: Recipe, recipePath: string, path: string, output: string): Promise<void> {
  const opened = await openSongFile(path);
  try {
    requireOutputs(output);
    let count = 0;
    const made = await hearing(path, () =>
      followRecipe(opened.song, recipe, {
        scoreFor: (song, tracks) => opened.listener.score(song, tracks),
        findAlignment: (song, follower, ties) => opened.listener.findAlignment(song, follower, ties),
        // names of records mean nothing, but the same work makes the same file
        newId: () => `recipe-${++count}`,
      }),
    );
    await saveSongFile(output, made[made.length - 1]?.song ?? opened.song, id => opened.recording(id));
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

/** The same, so many songs at once, each in a process of its own. */
async function inProcesses(recipePath: string, paths: string[], outputs: string[], jobs: number): Promise<string[]> {
  const failed: (string | undefined)[] = [];
  let next = 0;
  const worker = async () => {
    for (let i = next++; i < paths.length; i = next++) {
      const wrong = await inProcess(['apply', recipePath, paths[i], '-o', outputs[i]]);
      if (wrong !== null) failed[i] = wrong || `${paths[i]}: it broke off`;
    }
  };
  await Promise.all(Array.from({ length: Math.min(jobs, paths.length) }, worker));
  return failed.filter(f => f !== undefined);
}

/** Runs the command line anew. @returns what it said went wrong; null when nothing did */
function inProcess(args: string[]): Promise<string | null> {
  return new Promise(done => {
    const child = spawn(process.execPath, [...process.execArgv, process.argv[1], ...args], {
      stdio: ['ignore', 'ignore', 'pipe'],
    });
    let said = '';
    child.stderr.on('data', (data: Buffer) => (said += data.toString()));
    child.on('error', error => done(error.message));
    child.on('close', code => done(code === 0 ? null : said.trim().replace(/^essim: /, '')));
  });
}
