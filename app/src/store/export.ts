import { clipsOf, type Track } from '@essim/core';
import * as Comlink from 'comlink';
import { toast } from 'sonner';
import { withFiles } from '../jobs/files-client';
import { clientOf, editTrackOf, editViewOf, isVocal, opened, songOf, useSession } from './session';

/** Hands a file to the browser to save. */
function download(name: string, bytes: Uint8Array): void {
  const url = URL.createObjectURL(new Blob([bytes as Uint8Array<ArrayBuffer>], { type: 'audio/wav' }));
  const a = document.createElement('a');
  a.href = url;
  a.download = name;
  a.click();
  setTimeout(() => URL.revokeObjectURL(url), 10000);
}

const fileName = (...parts: string[]) => `${parts.join(' ').replace(/[^\p{L}\p{N} ._-]+/gu, '')}.wav`;

/** A take as edited. One that came into the comp a moment ago is waited for. @throws when it cannot be had */
async function renderedTake(track: Track, takeId: string): Promise<Float32Array[]> {
  const take = track.takes.find(t => t.id === takeId)!;
  const song = opened();
  for (;;) {
    if (!song || opened() !== song) throw new Error('the song was closed');
    const client = clientOf(takeId);
    if (client?.prepared) return client.render(take.edits);
    const status = useSession.getState().takes[takeId]?.status;
    const given = status === 'failed' || status === 'stopped';
    if (given && Object.keys(take.edits).length) throw new Error(`${take.name} has edits and is not read`);
    const sound = song.sounds.get(takeId);
    if (sound && (given || !isVocal(track))) return sound.sung;
    if (given) throw new Error(`${take.name} could not be loaded`);
    await new Promise(r => setTimeout(r, 50));
  }
}

/** Gives rendered samples away instead of copying them; shared ones stay where they are. */
const handedOver = (sources: [string, Float32Array[]][]) =>
  Comlink.transfer(
    sources,
    sources.flatMap(([, channels]) => channels.flatMap(c => (c.buffer instanceof ArrayBuffer ? [c.buffer] : []))),
  );

/** Exports the edited track, its comp joined, as 24-bit WAV at the song's rate, beginning at the song's zero. */
export async function exportTrack(): Promise<void> {
  const s = useSession.getState();
  const song = songOf(s);
  const track = editTrackOf(s);
  const clips = track ? clipsOf(track) : [];
  if (
    !song ||
    !track ||
    !clips.length ||
    (isVocal(track) && (editViewOf(s).status !== 'ready' || editViewOf(s).partial))
  ) {
    toast.error('There is nothing to export yet: the take is still being read.');
    return;
  }
  const notice = toast.loading(`Exporting ${track.name}…`);
  try {
    const rendered = await Promise.all(
      [...new Set(clips.map(c => c.takeId))].map(async (id): Promise<[string, Float32Array[]]> => [
        id,
        await renderedTake(track, id),
      ]),
    );
    const ends = rendered.flatMap(([id, channels]) =>
      clips
        .filter(c => c.takeId === id)
        .map(c => Math.min(c.to * song.sampleRate, Math.round(c.shift * song.sampleRate) + channels[0].length)),
    );
    const length = Math.max(1, ...ends.map(Math.ceil));
    const bytes = await withFiles(async job =>
      job.track(clips, handedOver(rendered), song.sampleRate, length, 'int24'),
    );
    const name = fileName(song.name, track.name);
    download(name, bytes);
    toast.success(`${name}: 24-bit, ${song.sampleRate / 1000} kHz, from the song’s start.`, { id: notice });
  } catch (error) {
    toast.error(`${track.name} could not be exported: ${error instanceof Error ? error.message : String(error)}.`, {
      id: notice,
    });
  }
}
