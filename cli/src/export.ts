import { mkdirSync, statSync } from 'node:fs';
import { join } from 'node:path';
import {
  addToMix,
  composeClips,
  packFlac,
  panGains,
  placedInMix,
  readWav,
  soundsInMix,
  stemNames,
  tidyFileName,
  writeWav,
  type SampleFormat,
  type Track,
} from '@essim/core';
import { UserError, writeAll, type Output } from './files';
import { hearing, openSongFile, type OpenedSong } from './song-file';

export interface ExportOptions {
  output: string;
  what: 'stems' | 'mix' | 'track';
  track?: string;
  format: 'wav' | 'flac';
  bits: '16' | '24' | '32';
  from?: number;
  to?: number;
}

const FORMATS: Record<ExportOptions['bits'], SampleFormat> = { '16': 'int16', '24': 'int24', '32': 'float32' };

/** Writes what a song sounds like: everything from the same zero and equally long. */
export async function exportCommand(path: string, options: ExportOptions): Promise<void> {
  if (options.format === 'flac' && options.bits === '32') throw new UserError('--bits: FLAC holds 16 or 24 bits');
  if (options.what === 'track' && options.track === undefined)
    throw new UserError('--track: say which track, by its name');
  if (options.from !== undefined && options.to !== undefined && options.to <= options.from)
    throw new UserError('--to: the range ends before it begins');
  if (statSync(options.output, { throwIfNoEntry: false })?.isFile())
    throw new UserError(`${options.output}: this must be a folder, not a file`);
  const opened = await openSongFile(path);
  try {
    const files = await hearing(path, () => rendered(opened, options));
    try {
      mkdirSync(options.output, { recursive: true });
    } catch (error) {
      throw new UserError(`${options.output}: it cannot be made (${(error as NodeJS.ErrnoException).code})`);
    }
    const outputs: Output[] = [];
    for (const { name, channels } of files)
      outputs.push({ path: join(options.output, name), data: await packed(channels, opened.song.sampleRate, options) });
    writeAll(outputs);
  } finally {
    opened.close();
  }
}

interface Sound {
  name: string;
  channels: Float32Array[];
}

async function rendered({ song, listener, path }: OpenedSong, options: ExportOptions): Promise<Sound[]> {
  const { what, format } = options;
  const all = song.tracks.filter(t => t.segments.length);
  const chosen =
    what === 'track' ? all.filter(t => t.name === options.track) : all.filter(t => soundsInMix(t, song.tracks));
  if (!chosen.length)
    throw new UserError(
      what === 'track' ? `--track: ${path} has no track "${options.track}"` : `${path}: there is nothing to export`,
    );
  const length = await listener.lengthOf(song);
  const cut = rangeOf(options, song.sampleRate, length);
  const mix = [new Float32Array(length), new Float32Array(length)];
  const names = stemNames(chosen, format);
  const sounds: Sound[] = [];
  for (const [i, track] of chosen.entries()) {
    const { clips, sources } = await listener.rendered(song, track);
    const joined = composeClips(clips, sources, song.sampleRate, length);
    // a track alone is as it was sung and edited; together they are the mix
    const gains = what === 'track' ? ([1, 1] as [number, number]) : panGains(track.levelDb, track.pan);
    const placed = placedInMix(joined, gains, what !== 'track' && isLinked(track));
    if (what === 'mix') addToMix(mix, placed);
    else sounds.push({ name: names[i], channels: placed.map(c => c.subarray(...cut)) });
  }
  if (what === 'mix')
    sounds.push({ name: `${tidyFileName(song.name, 'mix')}.${format}`, channels: mix.map(c => c.subarray(...cut)) });
  return sounds;
}

const isLinked = (track: Track): boolean => track.takes.some(t => t.channels === 'linked');

function rangeOf({ from, to }: ExportOptions, rate: number, length: number): [number, number] {
  const [a, b] = [Math.round((from ?? 0) * rate), to === undefined ? length : Math.min(length, Math.round(to * rate))];
  if (a >= b) throw new UserError('--from: the range lies beyond the end of the song');
  return [a, b];
}

async function packed(
  channels: Float32Array[],
  sampleRate: number,
  { format, bits }: ExportOptions,
): Promise<Uint8Array> {
  const wav = writeWav({ sampleRate, channels }, { format: FORMATS[bits], dither: bits !== '32' });
  if (format === 'wav') return wav;
  // the very samples the WAV would hold
  return packFlac({ sampleRate, bits: Number(bits), channels: readWav(wav).channels });
}
