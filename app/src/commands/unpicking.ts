import { tidyFileName, writeSongMidi, type Track, type UnpickedNote } from '@essim/core';
import * as Comlink from 'comlink';
import { toast } from 'sonner';
import { create } from 'zustand';
import { download } from '../exchange/download';
import { WorkerHost } from '../jobs/host';
import type { UnpickJob } from '../jobs/unpick.worker';
import { act, opened, songOf, trackOf, useSession } from '../open-song';
import { makeParts } from './parts';
import { recordingOf } from './recording-of';

/** Recorded chords taken apart: what was found, what of it counts, and what becomes of it. It is kept while the song is open. */

export interface Unpicked {
  trackId: string;
  name: string;
  /** Absent: as many as are heard. */
  voices: number | null;
  notes: readonly UnpickedNote[];
  /** Notes that were taken out, by their place in the list. */
  out: ReadonlySet<number>;
}

export const useUnpicked = create<{ found: Unpicked | null; running: { name: string; share: number } | null }>(() => ({
  found: null,
  running: null,
}));

let host: WorkerHost<UnpickJob> | null = null;
const stopFlag = new Int32Array(new SharedArrayBuffer(4));
export const stopUnpicking = (): void => void Atomics.store(stopFlag, 0, 1);

/** Takes a track's recording apart. @param voices null: as many as are heard */
export async function unpickTrack(track: Track, voices: number | null): Promise<void> {
  const [open, song] = [opened(), songOf(useSession.getState())];
  if (!open || !song || useUnpicked.getState().running) return;
  Atomics.store(stopFlag, 0, 0);
  useUnpicked.setState({ running: { name: track.name, share: 0 } });
  try {
    if (host?.failure) host = null;
    host ??= new WorkerHost<UnpickJob>(
      new Worker(new URL('../jobs/unpick.worker.ts', import.meta.url), { type: 'module' }),
      'unpicking',
    );
    const notes = await host.ask(job =>
      job.unpick(
        recordingOf(track),
        song.sampleRate,
        voices ? { voices } : {},
        stopFlag,
        Comlink.proxy((share: number) => useUnpicked.setState({ running: { name: track.name, share } })),
      ),
    );
    if (opened() !== open) return;
    if (!notes.length) return void toast(`No voices were heard in ${track.name}.`, { id: 'unpick' });
    useUnpicked.setState({ found: { trackId: track.id, name: track.name, voices, notes, out: new Set() } });
  } catch (error) {
    const stopped = error instanceof Error && error.name === 'Stopped';
    const why = error instanceof Error ? error.message : String(error);
    if (stopped) toast('Stopped; nothing was unpicked.', { id: 'unpick' });
    else toast.error(`Not unpicked: ${why}.`, { id: 'unpick' });
  } finally {
    useUnpicked.setState({ running: null });
  }
}

/** What was found of the open song's tracks. */
export function unpickedNow(): Unpicked | null {
  const { found } = useUnpicked.getState();
  return found && trackOf(useSession.getState(), found.trackId) ? found : null;
}

/** Takes a note out, or in again. */
export function toggleNote(index: number): void {
  const { found } = useUnpicked.getState();
  if (!found) return;
  const out = new Set(found.out);
  if (!out.delete(index)) out.add(index);
  useUnpicked.setState({ found: { ...found, out } });
}

export const forgetUnpicked = (): void => useUnpicked.setState({ found: null });

/** Notes of a line that count. */
export const lineOf = (found: Unpicked, line: number): UnpickedNote[] =>
  found.notes.filter((n, i) => n.line === line && !found.out.has(i));
export const linesOf = (found: Unpicked): number[] => [...new Set(found.notes.map(n => n.line))].sort((a, b) => a - b);
export const lineName = (found: Unpicked, line: number): string => {
  const count = linesOf(found).length;
  return count === 3 ? ['Upper line', 'Middle line', 'Lower line'][line] : `Line ${line + 1}`;
};

const asRows = (notes: readonly UnpickedNote[]) => notes.map(n => [n.start, n.end, Math.round(n.midi)] as const);

/** A part of a voice that sings a line. */
export const singLine = (found: Unpicked, line: number, lead: Track): void =>
  makeParts('part-from', { notes: asRows(lineOf(found, line)), name: lineName(found, line) }, lead);

/** A line as the melody that a track is meant to sing. */
export const guideByLine = (found: Unpicked, line: number, track: Track): boolean =>
  act(
    'guide',
    { notes: asRows(lineOf(found, line)), offset: 0 },
    { target: { tracks: [{ track, parts: [] }], span: null, broad: true } },
  );

export function unpickedAsMidi(found: Unpicked): void {
  const song = songOf(useSession.getState())!;
  const parts = linesOf(found).map(line => ({
    name: lineName(found, line),
    notes: lineOf(found, line).map(n => ({
      start: n.start,
      end: n.end,
      midi: Math.round(n.midi),
      word: null,
      velocity: Math.max(0.25, Math.min(1, n.strength)),
      bend: [],
    })),
  }));
  const bytes = writeSongMidi(
    { name: found.name, tempo: song.tempo, key: song.key, chords: song.chords, parts },
    { bends: false, evenVelocities: false },
  );
  download(
    `${tidyFileName(found.name) || 'Chord'}.mid`,
    new Blob([bytes as Uint8Array<ArrayBuffer>], { type: 'audio/midi' }),
  );
}
