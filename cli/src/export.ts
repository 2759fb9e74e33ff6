import { mkdirSync, statSync } from 'node:fs';
import { join } from 'node:path';
import {
  addToMix,
  composeClips,
  editReport,
  editReportCsv,
  editReportHtml,
  isVocal,
  packFlac,
  panGains,
  pitchLineCsv,
  practiceLevel,
  programmeOf,
  placedInMix,
  readWav,
  soundsInMix,
  stemNames,
  tidyFileName,
  writeMusicXml,
  writeSongMidi,
  writeWav,
  writtenSong,
  type SampleFormat,
  type Song,
  type Track,
} from '@essim/core';
import { UserError, writeAll, type Output } from './files';
import { hearing, openSongFile, type OpenedSong } from './song-file';

export const EXPORTS = ['stems', 'mix', 'track', 'midi', 'line', 'musicxml', 'practice', 'report'] as const;

export interface ExportOptions {
  output: string;
  what: (typeof EXPORTS)[number];
  track?: string;
  format: 'wav' | 'flac';
  bits: '16' | '24' | '32';
  from?: number;
  to?: number;
  /** Of MIDI. */
  bends: boolean;
  evenVelocities?: boolean;
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
    const texts = await hearing(path, () =>
      options.what === 'report' ? reported(opened, options) : written(opened, options),
    );
    const files = texts ? [] : await hearing(path, () => rendered(opened, options));
    try {
      mkdirSync(options.output, { recursive: true });
    } catch (error) {
      throw new UserError(`${options.output}: it cannot be made (${(error as NodeJS.ErrnoException).code})`);
    }
    const outputs: Output[] = (texts ?? []).map(t => ({ path: join(options.output, t.name), data: t.data }));
    for (const { name, channels } of files)
      outputs.push({ path: join(options.output, name), data: await packed(channels, opened.song.sampleRate, options) });
    writeAll(outputs);
  } finally {
    opened.close();
  }
}

/** What was done, and how loud what is delivered is: the mix and every stem. */
async function reported(opened: OpenedSong, options: ExportOptions): Promise<{ name: string; data: string }[]> {
  const { song, listener } = opened;
  const stems = await rendered(opened, { ...options, what: 'stems' });
  // together they are the mix
  const mix = [0, 1].map(() => new Float32Array(stems[0].channels[0].length));
  for (const stem of stems) addToMix(mix, stem.channels);
  const sounds = [{ name: mixName(song, options), channels: mix }, ...stems];
  const files = sounds.map(f => ({ name: f.name, ...programmeOf(f.channels, song.sampleRate) }));
  const { score } = await listener.planned(song, song.tracks.filter(isVocal));
  const report = editReport(score, files);
  return [
    { name: 'report.html', data: editReportHtml(score, report) },
    { name: 'report.csv', data: editReportCsv(report) },
    { name: 'report.json', data: `${JSON.stringify(report, null, 1)}\n` },
  ];
}

/** What is written down instead of sung; null where sound is asked for. */
async function written(
  { song, listener, path }: OpenedSong,
  { what, track: only, bends, evenVelocities = false }: ExportOptions,
): Promise<{ name: string; data: string | Uint8Array }[] | null> {
  if (what !== 'midi' && what !== 'line' && what !== 'musicxml') return null;
  const voices = song.tracks.filter(t => isVocal(t) && t.segments.length && (only === undefined || t.name === only));
  if (!voices.length)
    throw new UserError(
      only === undefined ? `${path}: nothing is sung in it` : `--track: ${path} has no voice "${only}"`,
    );
  const { score } = await listener.planned(song, voices);
  const base = tidyFileName(song.name) || 'Song';
  if (what === 'line')
    return voices.map((t, i) => ({
      name: stemNames(voices, 'csv')[i],
      data: pitchLineCsv(score.view(t.id)),
    }));
  const all = writtenSong(score, voices);
  return what === 'midi'
    ? [{ name: `${base}.mid`, data: writeSongMidi(all, { bends, evenVelocities }) }]
    : [{ name: `${base}.musicxml`, data: writeMusicXml(all) }];
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
  const mixed = (): Float32Array[] => [new Float32Array(length), new Float32Array(length)];
  const mix = mixed();
  const fronts = what === 'practice' ? chosen.filter(isVocal).map(track => ({ track, channels: mixed() })) : [];
  if (what === 'practice' && !fronts.length) throw new UserError(`${path}: nothing is sung in it`);
  const names = stemNames(chosen, format);
  const sounds: Sound[] = [];
  for (const [i, track] of chosen.entries()) {
    const { clips, sources } = await listener.rendered(song, track);
    const joined = composeClips(clips, sources, song.sampleRate, length);
    const placed = ({ levelDb, pan }: { levelDb: number; pan: number }) =>
      placedInMix(joined, panGains(levelDb + song.masterDb, pan), isLinked(track));
    if (what === 'mix') addToMix(mix, placed(track));
    else if (what === 'practice')
      for (const front of fronts) addToMix(front.channels, placed(practiceLevel(track, front.track.id)));
    // a track alone is as it was sung and edited; together they are the mix
    else
      sounds.push({
        name: names[i],
        channels: (what === 'track' ? placedInMix(joined, [1, 1], false) : placed(track)).map(c => c.subarray(...cut)),
      });
  }
  const base = tidyFileName(song.name) || 'Song';
  if (what === 'mix') sounds.push({ name: mixName(song, options), channels: mix.map(c => c.subarray(...cut)) });
  for (const { track, channels } of fronts)
    sounds.push({
      name: `${base}, ${tidyFileName(track.name) || 'voice'} in front.${format}`,
      channels: channels.map(c => c.subarray(...cut)),
    });
  return sounds;
}

const mixName = (song: Song, { format }: ExportOptions): string => `${tidyFileName(song.name, 'mix')}.${format}`;

const isLinked = (track: Track): boolean => track.takes.some(t => t.channels === 'linked');

function rangeOf({ from, to }: ExportOptions, rate: number, length: number): [number, number] {
  const [a, b] = [Math.round((from ?? 0) * rate), to === undefined ? length : Math.min(length, Math.round(to * rate))];
  if (a >= b) throw new UserError('--from: the range lies beyond the end of the song');
  return [a, b];
}

async function packed(
  channels: Float32Array[],
  sampleRate: number,
  { format, bits, from = 0 }: ExportOptions,
): Promise<Uint8Array> {
  // where in the song it begins (EBU Tech 3285)
  const timeReference = Math.round(from * sampleRate);
  const wav = writeWav({ sampleRate, channels }, { format: FORMATS[bits], dither: bits !== '32', timeReference });
  if (format === 'wav') return wav;
  // the very samples the WAV would hold
  return packFlac({ sampleRate, bits: Number(bits), channels: readWav(wav).channels });
}
