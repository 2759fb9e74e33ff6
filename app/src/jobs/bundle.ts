import {
  AudioFileError,
  BUNDLE_VERSION,
  BundleManifest,
  readWav,
  validated,
  validatedSong,
  writeWav,
  type BundledRecording,
  type Song,
} from '@essim/core';
import { strFromU8, strToU8, unzipSync, zipSync, type UnzipFileInfo, type Zippable } from 'fflate';
import { packFlac, unpackFlac } from './flac';

/** A song in one zip of open formats: song.json, recordings as FLAC (or float WAV), its notes as MIDI. docs/file-format.md tells all. */

/** A bundle that cannot be opened; the message is for the user. */
export class BundleError extends Error {
  override name = 'BundleError';
}

/** A recording as the program keeps it. */
export interface Recording {
  id: string;
  name: string;
  sampleRate: number;
  channels: Float32Array[];
  origin?: string;
}

const MOST_FILES = 5000;
const MOST_TEXT = 64 * 2 ** 20;
const MOST_RECORDING = 3 * 2 ** 30;
/** An hour and a half, as for any file. */
const LONGEST_SECONDS = 5400;
const LARGEST_BUNDLE = 4 * 2 ** 30;
const NAMES = /^(essim\.json|song\.json|audio\/[0-9a-f]{64}\.(flac|wav)|midi\/[^/\\\0]{1,200}\.mid)$/;

/** The fewest bits samples fit in without a change; null: only floating point holds them. */
export function bitsOf(channels: readonly Float32Array[]): 16 | 24 | null {
  for (const bits of [16, 24] as const) {
    const scale = 2 ** (bits - 1);
    const fits = channels.every(c => {
      for (let i = 0; i < c.length; i++) {
        const v = c[i] * scale;
        if (!Object.is(v, Math.round(v)) || v < -scale || v > scale - 1 || Object.is(v, -0)) return false;
      }
      return true;
    });
    if (fits) return bits;
  }
  return null;
}

/** Writes a bundle. @param load a recording by its id @param midi MIDI files by name @param onProgress may throw to stop */
export async function writeBundle(
  song: Song,
  load: (sourceId: string) => Promise<Recording>,
  midi: Record<string, Uint8Array>,
  onProgress: (share: number) => void = () => {},
): Promise<Blob> {
  const files: Zippable = {};
  const ids = [...new Set(song.tracks.flatMap(t => t.takes.map(k => k.sourceId)))];
  const recordings: BundledRecording[] = [];
  for (const [i, id] of ids.entries()) {
    onProgress(i / ids.length);
    const { name, sampleRate, channels, origin } = await load(id);
    const bits = bitsOf(channels);
    const as = bits ? 'flac' : 'wav';
    const bytes = bits
      ? await packFlac({ sampleRate, bits, channels })
      : writeWav({ sampleRate, channels }, { format: 'float32' });
    // packed as far as it goes
    files[`audio/${id}.${as}`] = [bytes, { level: 0 }];
    recordings.push({
      id,
      name,
      sampleRate,
      channels: channels.length,
      length: channels[0].length,
      as,
      ...(origin ? { origin } : {}),
    });
  }
  for (const [name, bytes] of Object.entries(midi)) files[`midi/${name}.mid`] = bytes;
  files['song.json'] = strToU8(JSON.stringify(song));
  const manifest: BundleManifest = { format: 'essim song bundle', version: BUNDLE_VERSION, recordings };
  files['essim.json'] = strToU8(JSON.stringify(manifest, null, 1));
  const bytes = zipSync(files) as Uint8Array<ArrayBuffer>;
  onProgress(1);
  return new Blob([bytes], { type: 'application/zip' });
}

/** A bundle looked through: its document is sound, and its recordings can be had one by one. */
export interface OpenedBundle {
  song: Song;
  ids: string[];
  /** @throws BundleError when it is not what it says */
  recording(id: string): Promise<Recording>;
}

/** Most that a kind of file may unpack to. */
const limitOf = (name: string) => (name.startsWith('audio/') ? MOST_RECORDING : MOST_TEXT);

/**
 * Opens a bundle. Hostile until proven otherwise: names are matched against those a bundle has, nothing is unpacked beyond its bounds,
 * and the document is validated. @throws BundleError
 */
export async function openBundle(
  file: Blob,
  hash: (channels: Float32Array[]) => Promise<string>,
): Promise<OpenedBundle> {
  const files = await unzipped(file);
  const text = (name: string): unknown => {
    const bytes = files.get(name);
    if (!bytes) throw new BundleError(`${name} is missing in it`);
    try {
      return JSON.parse(strFromU8(bytes));
    } catch {
      throw new BundleError(`${name} in it is damaged`);
    }
  };
  const stated = text('essim.json') as { version?: unknown };
  if (typeof stated?.version === 'number' && stated.version > BUNDLE_VERSION)
    throw new BundleError(
      `it was saved by a newer Essim (bundle ${stated.version}; this one opens up to ${BUNDLE_VERSION})`,
    );
  const inFile = <T>(name: string, make: () => T): T => {
    try {
      return make();
    } catch (error) {
      throw new BundleError(`${name} in it cannot be used: ${(error as Error).message}`);
    }
  };
  const manifest = inFile('essim.json', () => validated(BundleManifest, stated));
  const song = inFile('song.json', () => validatedSong(text('song.json')));
  const known = new Map(manifest.recordings.map(r => [r.id, r]));
  const ids = [...new Set(song.tracks.flatMap(t => t.takes.map(k => k.sourceId)))];
  for (const track of song.tracks)
    for (const take of track.takes) {
      const r = known.get(take.sourceId);
      if (!r || !files.has(`audio/${r.id}.${r.as}`))
        throw new BundleError(`the recording of ${track.name}, ${take.name}, is missing in it`);
      if (r.length > LONGEST_SECONDS * r.sampleRate)
        throw new BundleError(`the recording of ${track.name} in it is longer than an hour and a half`);
    }
  return {
    song,
    ids,
    async recording(id) {
      const r = known.get(id)!;
      const channels = await unpacked(r, files.get(`audio/${id}.${r.as}`)!);
      if (channels.length !== r.channels || channels[0].length !== r.length || (await hash(channels)) !== id)
        throw new BundleError(`the recording ${r.name} in it is damaged`);
      return { id, name: r.name, sampleRate: r.sampleRate, channels, ...(r.origin ? { origin: r.origin } : {}) };
    },
  };
}

async function unpacked(r: BundledRecording, bytes: Uint8Array<ArrayBuffer>): Promise<Float32Array[]> {
  try {
    const { sampleRate, channels } = r.as === 'flac' ? await unpackFlac(bytes, r.length) : readWav(bytes);
    if (sampleRate !== r.sampleRate) throw new AudioFileError(`its rate is not ${r.sampleRate} Hz`);
    return channels;
  } catch (error) {
    throw new BundleError(`the recording ${r.name} in it is damaged: ${(error as Error).message}`);
  }
}

/** A zip's files, none unpacked before its name and size were looked at. @throws BundleError */
async function unzipped(file: Blob): Promise<Map<string, Uint8Array<ArrayBuffer>>> {
  if (file.size > LARGEST_BUNDLE) throw new BundleError('it is larger than 4 GB');
  const bytes = new Uint8Array(await file.arrayBuffer());
  if (bytes[0] !== 0x50 || bytes[1] !== 0x4b) throw new BundleError('it is not a song bundle');
  const names = new Set<string>();
  let total = 0;
  const look = ({ name, originalSize }: UnzipFileInfo): boolean => {
    if (name.endsWith('/')) return false;
    if (!NAMES.test(name))
      throw new BundleError(`it holds “${name.slice(0, 60)}”, which does not belong in a song bundle`);
    if (names.has(name)) throw new BundleError(`it holds ${name} twice`);
    names.add(name);
    if (names.size > MOST_FILES) throw new BundleError('it holds too many files');
    total += originalSize;
    // a small file that grows without end is no song
    const bomb = total > MOST_TEXT && total > 100 * file.size;
    if (originalSize > limitOf(name) || bomb) throw new BundleError(`${name} in it is far too large`);
    return true;
  };
  try {
    return new Map(Object.entries(unzipSync(bytes, { filter: look }))) as Map<string, Uint8Array<ArrayBuffer>>;
  } catch (error) {
    if (error instanceof BundleError) throw error;
    throw new BundleError('it is damaged');
  }
}
