import {
  alternativesMoved,
  replaceRecording,
  setTake,
  setTrack,
  together,
  type Change,
  type Replaced,
  type Track,
  type Take,
} from '@essim/core';
import { toast } from 'sonner';
import { withFiles } from '../jobs/files-client';
import { change, songOf, useSession } from '../open-song';

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
    const { sourceId: oldId, channels } = take;
    const before = { songId: song.id, sourceId: oldId, channels };
    const compared = await withFiles(async job => job.compare(file, file.name, song.sampleRate, before));
    if ('error' in compared) throw new Error(`${file.name} could not be used: ${compared.error}`);
    const { same, kept } = compared;
    if (!kept)
      throw new Error(
        `${file.name} is not the performance of ${take.name}: ${Math.round(same.found * 100)} % of its sound was found. Bring it in as a new take instead`,
      );
    const { fields, lost } = replaceRecording(take, kept.sourceId, same.offsetSeconds, kept.seconds, same.missing);
    const label = `Replace the recording of ${take.name}`;
    const changes: Change[] = [setTake(track.id, take.id, fields)];
    if (track.alternatives.length)
      changes.push(
        setTrack(track.id, { alternatives: alternativesMoved(track.alternatives, take.id, same.offsetSeconds) }),
      );
    // borrowed words know where their recording lies by themselves
    if (track.segments.some(g => g.takeId === take.id && g.shiftSeconds !== undefined))
      changes.push(
        setTrack(track.id, {
          segments: track.segments.map(g =>
            g.takeId === take.id && g.shiftSeconds !== undefined
              ? { ...g, shiftSeconds: g.shiftSeconds - same.offsetSeconds }
              : g,
          ),
        }),
      );
    if (!change(label, together(changes))) return null;
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
