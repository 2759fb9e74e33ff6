import { readKeyboardMap, readScala } from '@essim/core';
import { toast } from 'sonner';
import { act } from '../../open-song';

const LARGEST = 200_000;

/** What is wrong with a file is told with its name. */
function named<T>(file: File, make: () => T): T {
  try {
    return make();
  } catch (error) {
    throw new Error(`${file.name}: ${(error as Error).message}`, { cause: error });
  }
}

function textOf(file: File): Promise<string> {
  if (file.size > LARGEST) throw new Error(`${file.name} is too large for a tuning`);
  return file.text();
}

/** Takes a Scala tuning, and a keyboard map beside it, as the song's steps. */
export async function tuneByFiles(files: readonly File[]): Promise<void> {
  const [tuning, map] = ['.scl', '.kbm'].map(ending => files.find(f => f.name.toLowerCase().endsWith(ending)));
  try {
    if (!tuning) throw new Error('choose a .scl file, and its .kbm beside it if there is one');
    const scl = await textOf(tuning);
    const { steps, period } = named(tuning, () => readScala(scl, null));
    const kbm = map && (await textOf(map));
    if (map && kbm !== undefined) named(map, () => readKeyboardMap(kbm, steps, period));
    act('scale', { scl, ...(kbm === undefined ? {} : { kbm }) });
  } catch (error) {
    toast.error(`The tuning was not read: ${error instanceof Error ? error.message : String(error)}.`);
  }
}
