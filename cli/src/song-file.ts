import { createHash } from 'node:crypto';
import {
  closeSync,
  mkdirSync,
  readdirSync,
  readFileSync,
  readSync,
  renameSync,
  rmSync,
  statSync,
  writeFileSync,
} from 'node:fs';
import { basename, join } from 'node:path';
import { deserialize, serialize } from 'node:v8';
import {
  BundleError,
  Listener,
  NothingToAlign,
  openBundle,
  READING_VERSION,
  UnreadableTake,
  writeBundle,
  type PackedRecording,
  type ReadFrom,
  type Reading,
  type Recording,
  type Song,
} from '@essim/core';
import { openInput, tell, tellNothing, UserError, writePieces } from './files';

/** SHA-256 over all channels' samples, as hex: the name of a recording. */
export function recordingName(channels: readonly Float32Array[]): string {
  const hash = createHash('sha256');
  for (const c of channels) hash.update(new Uint8Array(c.buffer, c.byteOffset, c.byteLength));
  return hash.digest('hex');
}

/** A song from a bundle, with what it takes to hear it. */
export interface OpenedSong {
  path: string;
  song: Song;
  recording(id: string): Promise<Recording>;
  /** The same as it is packed, to be put into another bundle. */
  packed(id: string): Promise<PackedRecording | Recording>;
  /** Keeps a new recording beside them. @returns its name */
  keep(name: string, channels: Float32Array[]): string;
  listener: Listener;
  close(): void;
}

/** Opens a bundle; its recordings are unpacked one by one when they are asked for. @throws UserError naming the file */
export async function openSongFile(path: string): Promise<OpenedSong> {
  const { fd, size } = openInput(path);
  try {
    const source = {
      size,
      read(offset: number, length: number) {
        const bytes = new Uint8Array(length);
        return Promise.resolve(bytes.subarray(0, readSync(fd, bytes, 0, length, offset)));
      },
    };
    const { song, recording, packed } = await openBundle(source, c => Promise.resolve(recordingName(c)));
    const made = new Map<string, Recording>();
    const either = (id: string) => (made.has(id) ? Promise.resolve(made.get(id)!) : recording(id));
    return {
      path,
      song,
      recording: either,
      packed: id => (made.has(id) ? Promise.resolve(made.get(id)!) : packed(id)),
      keep(name, channels) {
        const id = recordingName(channels);
        made.set(id, { id, name, sampleRate: song.sampleRate, channels });
        return id;
      },
      listener: listenerOf(either),
      close: () => closeSync(fd),
    };
  } catch (error) {
    closeSync(fd);
    if (error instanceof BundleError) throw new UserError(`${path}: ${error.message}`);
    throw error;
  }
}

/** Something that hears recordings, with readings kept between calls. */
export const listenerOf = (recording: (id: string) => Promise<Recording>): Listener =>
  new Listener({
    channels: async id => (await recording(id)).channels,
    reading: keptReading,
    keepReading,
    onReading: (take, share) => tell(`reading ${take.name} ${Math.round(share * 100)} %`),
  });

/** Has something heard; what goes wrong with a voice is told by the song's name. */
export async function hearing<T>(path: string, work: () => Promise<T>): Promise<T> {
  try {
    return await work();
  } catch (error) {
    if (error instanceof UnreadableTake || error instanceof NothingToAlign || error instanceof BundleError)
      throw new UserError(`${path}: ${error.message}`);
    throw error;
  } finally {
    tellNothing();
  }
}

/** Writes a song as a bundle, whole or not at all. @throws UserError naming the file */
export async function saveSongFile(
  path: string,
  song: Song,
  recording: (id: string) => Promise<Recording | PackedRecording>,
): Promise<void> {
  try {
    await writePieces(path, put => writeBundle(song, recording, {}, put));
  } catch (error) {
    if (error instanceof BundleError) throw new UserError(`${basename(path)}: ${error.message}`);
    throw error;
  }
}

// ---- readings kept between calls: a cache, which may be deleted at any time

const folder = (): string => process.env.ESSIM_CACHE ?? join(process.env.ESSIM_ROOT ?? '', '.cache', 'readings');
/** Readings that are kept; the oldest go. */
const MOST_KEPT = 400;

const fileOf = ({ sourceId, range, channels }: ReadFrom) =>
  join(folder(), `${sourceId}-${range}-${channels}-v${READING_VERSION}`);

function keptReading(take: ReadFrom): Reading | undefined {
  try {
    return deserialize(new Uint8Array(readFileSync(fileOf(take)))) as Reading;
  } catch {
    return undefined;
  }
}

function keepReading(take: ReadFrom, reading: Reading): void {
  // without an entry in its environment the command line leaves nothing anywhere
  if (!process.env.ESSIM_ROOT && !process.env.ESSIM_CACHE) return;
  try {
    mkdirSync(folder(), { recursive: true });
    const file = fileOf(take);
    writeFileSync(`${file}.${process.pid}`, new Uint8Array(serialize(reading)));
    renameSync(`${file}.${process.pid}`, file);
    const all = readdirSync(folder()).map(name => ({ name, at: statSync(join(folder(), name)).mtimeMs }));
    for (const old of all.sort((a, b) => b.at - a.at).slice(MOST_KEPT))
      rmSync(join(folder(), old.name), { force: true });
  } catch {
    // a cache that cannot be written costs time only
  }
}
