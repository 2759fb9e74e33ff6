import { toast } from 'sonner';
import { filesJob } from '../jobs/files-client';
import { clientOf, editTakeOf, editTrackOf, songOf, useSession } from './session';

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

/** Exports the edited track as 24-bit WAV at the song's rate, beginning at the song's zero. */
export async function exportTrack(): Promise<void> {
  const s = useSession.getState();
  const song = songOf(s);
  const track = editTrackOf(s);
  const take = editTakeOf(s);
  const client = take && clientOf(take.id);
  if (!song || !track || !take || !client || s.takes[take.id]?.status !== 'ready') {
    toast.error('There is nothing to export yet: the take is still being read.');
    return;
  }
  const notice = toast.loading(`Exporting ${track.name}…`);
  try {
    const rendered = await client.render(take.edits);
    const offset = Math.round(take.offsetSeconds * song.sampleRate);
    const channels = offset === 0 ? rendered : rendered.map(c => placed(c, offset));
    const bytes = await filesJob().write(channels, song.sampleRate, 'int24');
    const name = fileName(song.name, track.name);
    download(name, bytes);
    toast.success(`${name}: 24-bit, ${song.sampleRate / 1000} kHz, from the song’s start.`, { id: notice });
  } catch (error) {
    toast.error(`${track.name} could not be exported: ${error instanceof Error ? error.message : String(error)}.`, {
      id: notice,
    });
  }
}

/** Samples moved so that index 0 is the song's zero. */
function placed(x: Float32Array, offset: number): Float32Array {
  const out = new Float32Array(Math.max(1, x.length + offset));
  out.set(offset < 0 ? x.subarray(-offset) : x, Math.max(0, offset));
  return out;
}
