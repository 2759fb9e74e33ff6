import {
  replaceRecording,
  SetTake,
  SetTrack,
  Together,
  type Command,
  type Replaced,
  type Track,
  type Take,
} from '@essim/core';
import { toast } from 'sonner';
import { filesJob } from '../jobs/files-client';
import { chosenChannels } from './channels';
import { recording } from './recordings';
import { run, songOf, useSession } from './session';
import { keepSource } from './sources';

/** What came of a replacement, to be shown. */
export interface Replacement {
  takeName: string;
  file: string;
  offsetSeconds: number;
  levelDb: number;
  /** Share of the old sound found in the new file. */
  found: number;
  lost: Replaced['lost'];
}

/** Puts a new file in place of a take's recording when it holds the same performance; null when it was refused. */
export async function replaceTake(track: Track, take: Take, file: File): Promise<Replacement | null> {
  const song = songOf(useSession.getState());
  if (!song) return null;
  const notice = toast.loading(`Comparing ${file.name} with ${take.name}…`);
  try {
    const read = await filesJob().read(file, song.sampleRate);
    if ('error' in read) throw new Error(`${file.name} could not be used: ${read.error}`);
    const old = await recording(song.id, take.sourceId);
    const [before, after] = [old.channels, read.channels].map(c => chosenChannels(c, take.channels));
    const same = await filesJob().compare(before, after, song.sampleRate);
    if (!same.same)
      throw new Error(
        `${file.name} is not the performance of ${take.name}: ${Math.round(same.found * 100)} % of its sound was found. Bring it in as a new take instead`,
      );
    const sourceId = await keepSource(
      file.name,
      read.sampleRate,
      read.channels,
      `${read.format} at ${read.fileRate / 1000} kHz`,
    );
    const duration = read.channels[0].length / read.sampleRate;
    const { fields, lost } = replaceRecording(take, sourceId, same.offsetSeconds, duration, same.missing);
    const label = `Replace the recording of ${take.name}`;
    const commands: Command[] = [new SetTake(label, track.id, take.id, fields)];
    // borrowed words know where their recording lies by themselves
    if (track.segments.some(g => g.takeId === take.id && g.shiftSeconds !== undefined))
      commands.push(
        new SetTrack(label, track.id, {
          segments: track.segments.map(g =>
            g.takeId === take.id && g.shiftSeconds !== undefined
              ? { ...g, shiftSeconds: g.shiftSeconds - same.offsetSeconds }
              : g,
          ),
        }),
      );
    run(new Together(label, commands));
    toast.success(`${take.name} now plays ${file.name}.`, { id: notice });
    return {
      takeName: take.name,
      file: file.name,
      offsetSeconds: same.offsetSeconds,
      levelDb: same.levelDb,
      found: same.found,
      lost,
    };
  } catch (error) {
    toast.error(`${error instanceof Error ? error.message : String(error)}. Nothing was changed.`, {
      id: notice,
      duration: 10000,
    });
    return null;
  }
}
