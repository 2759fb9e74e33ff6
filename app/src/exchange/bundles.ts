import { storedHistory, tidyFileName, writeMidi, type Song } from '@essim/core';
import * as Comlink from 'comlink';
import { toast } from 'sonner';
import { create } from 'zustand';
import { persist } from 'zustand/middleware';
import type { BundleJob } from '../jobs/bundle.worker';
import { inWorker } from '../jobs/host';
import { download } from './download';
import { newId } from '../keeping/ids';
import { isVocal, songOf, useSession, viewOf } from '../open-song';
import { withRecordings } from '../keeping/locks';
import { addSong } from '../keeping/songs';

/** Songs in one file: saved, and opened again in another browser with the very same sound. */

export const BUNDLE_ENDING = '.essim';

/** Whether a bundle takes its undo history along; kept by the browser. */
export const useWithHistory = create<{ on: boolean }>()(
  persist(() => ({ on: false }) as { on: boolean }, { name: 'essim.bundle-history' }),
);

/** What is being packed or unpacked. */
export const useBundling = create<{ name: string; share: number; saving: boolean } | null>(() => null);
const stopFlag = new Int32Array(new SharedArrayBuffer(4));
export const stopBundling = (): void => void Atomics.store(stopFlag, 0, 1);

async function withWorker<T>(work: (job: Comlink.Remote<BundleJob>) => Promise<T>): Promise<T> {
  try {
    return await inWorker(
      new Worker(new URL('../jobs/bundle.worker.ts', import.meta.url), { type: 'module' }),
      'packing the song',
      work,
    );
  } finally {
    useBundling.setState(null, true);
  }
}

/** The open song's notes as MIDI, a file a voice, for whoever has no Essim. */
function midiOf(song: Song): Record<string, Uint8Array> {
  const s = useSession.getState();
  const out: Record<string, Uint8Array> = {};
  for (const track of song.tracks.filter(isVocal)) {
    const view = viewOf(s, track.id);
    if (!view.notes.length) continue;
    const notes = view.notes.map(n => ({ start: n.start, end: n.end, midi: view.edits[n.key]?.target ?? n.sung }));
    const base = tidyFileName(track.name) || 'Track';
    let name = base;
    for (let i = 2; Object.hasOwn(out, name); i++) name = `${base} ${i}`;
    out[name] = writeMidi(track.name, notes, song.tempo?.bpm ?? 120);
  }
  return out;
}

/** Saves the open song as a bundle. */
export async function saveBundle(): Promise<void> {
  const { history } = useSession.getState();
  const song = songOf(useSession.getState());
  if (!song || useBundling.getState()) return;
  const name = `${tidyFileName(song.name) || 'Song'}${BUNDLE_ENDING}`;
  Atomics.store(stopFlag, 0, 0);
  useBundling.setState({ name, share: 0, saving: true }, true);
  try {
    const bytes = await withWorker(job =>
      job.write(
        song,
        midiOf(song),
        stopFlag,
        Comlink.proxy(share => useBundling.setState({ name, share, saving: true }, true)),
        useWithHistory.getState().on && history ? storedHistory(history) : null,
      ),
    );
    download(name, bytes);
    toast.success(`${name} is saved: ${(bytes.size / 2 ** 20).toFixed(1)} MB, everything in it.`);
  } catch (error) {
    const message = error instanceof Error ? error.message : String(error);
    if (message === 'stopped') toast('Stopped; nothing was written.', { id: 'bundle' });
    else toast.error(`${name} was not saved: ${message}`, { id: 'bundle' });
  }
}

/** Puts a bundle's song on the shelf. @returns its id; null when it was refused, with the reason said and nothing changed */
export async function openBundleFile(file: File): Promise<string | null> {
  if (useBundling.getState()) return null;
  // nothing of it is swept away before its song is on the shelf
  return withRecordings(() => opened(file));
}

async function opened(file: File): Promise<string | null> {
  useBundling.setState({ name: file.name, share: 0, saving: false }, true);
  try {
    const read = await withWorker(job =>
      job.open(
        file,
        Comlink.proxy(share => useBundling.setState({ name: file.name, share, saving: false }, true)),
      ),
    );
    if (!read.song) {
      toast.error(`${file.name} was not opened: ${read.refused}. Nothing was changed.`, { duration: 12000 });
      return null;
    }
    // a song of its own, whatever is on the shelf already
    const id = newId();
    await addSong({ ...read.song, id }, read.history);
    if (read.unusable)
      toast.warning(`The undo history of ${read.song.name} was left out: ${read.unusable}. The song itself is whole.`, {
        duration: 12000,
      });
    toast.success(`${read.song.name} is on the shelf.`);
    return id;
  } catch (error) {
    toast.error(
      `${file.name} was not opened: ${error instanceof Error ? error.message : String(error)}. Nothing was changed.`,
      { duration: 12000 },
    );
    return null;
  }
}

export const isBundle = (file: { name: string }): boolean => file.name.toLowerCase().endsWith(BUNDLE_ENDING);
