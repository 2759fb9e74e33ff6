import * as zip from '@zip.js/zip.js/index-native.js';
import {
  alignmentNames,
  DocumentError,
  historyFrom,
  recordingsNamedIn,
  recordingsOf,
  storedHistory,
  validated,
  validatedSong,
  withAlignments,
  withoutAlignments,
  withoutParts,
  type FoundAlignment,
  type Song,
  type StoredHistory,
} from '../song';
import { BUNDLE_VERSION, BundleManifest, PLAIN_BUNDLE_VERSION, type BundledRecording } from './bundle-manifest';
import { packFlac, unpackFlac } from './flac';
import { AudioFileError, readWav, writeWav } from './wav';

/**
 * A song in one zip of open formats: song.json, recordings as FLAC (or float WAV), its notes as MIDI; docs/file-format.md tells all. It is
 * read and written a piece at a time: nothing is unpacked before it is asked for, and no more of it than it says.
 */

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

/** A recording as it lies in a bundle. */
export interface PackedRecording {
  told: BundledRecording;
  bytes: Uint8Array;
}

/** Bytes that can be read from anywhere: a file, a blob. */
export interface ByteSource {
  size: number;
  read(offset: number, length: number): Promise<Uint8Array>;
}
/** Takes bytes in order. */
export type ByteSink = (bytes: Uint8Array) => Promise<void> | void;

const MOST_FILES = 5000;
/** Of everything but recordings, all together. */
const MOST_TEXT = 64 * 2 ** 20;
/** Of an undo history alone, characters. */
const MOST_HISTORY = 40 * 2 ** 20;
const MOST_RECORDING = 3 * 2 ** 30;
/** An hour and a half, as for any file. */
const LONGEST_SECONDS = 5400;
const LARGEST_BUNDLE = 4 * 2 ** 30;
/** What all of it may unpack to. */
const MOST_UNPACKED = 16 * 2 ** 30;
const NAMES =
  /^(essim\.json|song\.json|history\.json|audio\/[0-9a-f]{64}\.(flac|wav)|midi\/[^/\\\0]{1,200}\.mid|alignments\/[0-9a-f]{32}\.json)$/;

// the package would begin workers of its own; bundles are packed in one already
zip.configure({ useWebWorkers: false });

class SourceReader extends zip.Reader<ByteSource> {
  constructor(private readonly from: ByteSource) {
    super(from);
    this.size = from.size;
  }
  override readUint8Array(index: number, length: number): Promise<Uint8Array> {
    return this.from.read(index, Math.max(0, Math.min(length, this.from.size - index)));
  }
}

class SinkWriter extends zip.Writer<void> {
  constructor(private readonly to: ByteSink) {
    super();
  }
  override async writeUint8Array(bytes: Uint8Array): Promise<void> {
    await this.to(bytes);
  }
  override getData(): Promise<void> {
    return Promise.resolve();
  }
}

/** Collects what a file unpacks to, and no more than it said. */
class BoundedWriter extends zip.Writer<Uint8Array<ArrayBuffer>> {
  private readonly bytes: Uint8Array<ArrayBuffer>;
  private at = 0;
  constructor(size: number) {
    super();
    this.bytes = new Uint8Array(size);
  }
  override writeUint8Array(piece: Uint8Array): Promise<void> {
    if (this.at + piece.length > this.bytes.length) throw new BundleError('it unpacks to more than it says');
    this.bytes.set(piece, this.at);
    this.at += piece.length;
    return Promise.resolve();
  }
  override getData(): Promise<Uint8Array<ArrayBuffer>> {
    return Promise.resolve(this.bytes.subarray(0, this.at));
  }
}

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

/**
 * Writes a bundle, recording by recording.
 * @param load a recording by its id; one that is packed already is taken as it is @param midi MIDI files by name @param onProgress may throw to stop
 * @param history the song's journal, to go along; recordings that only it needs go along too. @throws BundleError when it is too long
 */
export async function writeBundle(
  song: Song,
  load: (sourceId: string) => Promise<Recording | PackedRecording>,
  midi: Readonly<Record<string, Uint8Array>>,
  sink: ByteSink,
  onProgress: (share: number) => void = () => {},
  history: StoredHistory | null = null,
): Promise<void> {
  const past = history && withoutAlignments(history);
  const pastText = past && JSON.stringify(past.stored);
  if (pastText && pastText.length > MOST_HISTORY)
    throw new BundleError('its undo history is too long for a bundle; save it without');
  const writer = new zip.ZipWriter<void>(new SinkWriter(sink), { extendedTimestamp: false });
  const add = (name: string, bytes: Uint8Array, level = 6) =>
    writer.add(name, new zip.Uint8ArrayReader(bytes), { level });
  const text = (name: string, value: unknown, indent?: number) =>
    writer.add(name, new zip.TextReader(JSON.stringify(value, null, indent)));
  const ids = allRecordings(song, pastText);
  const recordings: BundledRecording[] = [];
  for (const [i, id] of ids.entries()) {
    onProgress(i / ids.length);
    const loaded = await load(id);
    const { told, bytes } = 'told' in loaded ? loaded : await packedRecording(loaded);
    // packed as far as it goes
    await add(`audio/${id}.${told.as}`, bytes, 0);
    recordings.push(told);
  }
  for (const [name, bytes] of Object.entries(midi)) await add(`midi/${name}.mid`, bytes);
  const { stored, alignments } = withoutAlignments(withoutParts(song));
  const found = new Map<string, FoundAlignment>([...alignments, ...(past?.alignments ?? [])]);
  for (const [id, alignment] of found) await text(`alignments/${id}.json`, alignment);
  await text('song.json', stored);
  if (pastText) await writer.add('history.json', new zip.TextReader(pastText));
  await text(
    'essim.json',
    {
      format: 'essim song bundle',
      version: pastText ? BUNDLE_VERSION : PLAIN_BUNDLE_VERSION,
      recordings,
    } satisfies BundleManifest,
    1,
  );
  await writer.close();
  onProgress(1);
}

async function packedRecording({ id, name, sampleRate, channels, origin }: Recording): Promise<PackedRecording> {
  const bits = bitsOf(channels);
  const bytes = bits
    ? await packFlac({ sampleRate, bits, channels })
    : writeWav({ sampleRate, channels }, { format: 'float32' });
  const told: BundledRecording = {
    id,
    name,
    sampleRate,
    channels: channels.length,
    length: channels[0].length,
    as: bits ? 'flac' : 'wav',
    ...(origin ? { origin } : {}),
  };
  return { told, bytes };
}

/** Recordings a song needs, and those that only its history does. */
const allRecordings = (song: Song, past: unknown): string[] => [
  ...new Set([...recordingsOf(song), ...(past ? recordingsNamedIn(past) : [])]),
];

/** A bundle looked through: its document is sound, and its recordings can be had one by one. */
export interface OpenedBundle {
  song: Song;
  /** Its undo history, sound to its beginning; null where none goes along. */
  history: StoredHistory | null;
  /** Why an undo history that goes along cannot be used; the song is whole without it. */
  unusable: string | null;
  ids: string[];
  /** @throws BundleError when it is not what it says */
  recording(id: string): Promise<Recording>;
  /** A recording as it lies there, only checked for damage; for another bundle. @throws BundleError */
  packed(id: string): Promise<PackedRecording>;
}

/** The files of a bundle, none unpacked yet. */
type Files = ReadonlyMap<string, zip.FileEntry>;

/**
 * Opens a bundle. Hostile until proven otherwise: names are matched against those a bundle has, sizes are bounded one by one and in all,
 * nothing is unpacked beyond what it says, and the document is validated. @throws BundleError
 */
export async function openBundle(
  source: ByteSource,
  hash: (channels: Float32Array[]) => Promise<string>,
): Promise<OpenedBundle> {
  const files = await filesOf(source);
  const stated = (await parsed(files, 'essim.json')) as { version?: unknown } | null;
  if (typeof stated?.version === 'number' && stated.version > BUNDLE_VERSION)
    throw new BundleError(
      `it was saved by a newer Essim (bundle ${stated.version}; this one opens up to ${BUNDLE_VERSION})`,
    );
  const manifest = inFile('essim.json', () => validated(BundleManifest, stated));
  const document = await parsed(files, 'song.json');
  const past = files.has('history.json') ? await parsed(files, 'history.json').catch(said) : undefined;
  const alignments = new Map<string, unknown>();
  for (const id of new Set([...alignmentNames(document), ...alignmentNames(past)])) {
    const name = `alignments/${id}.json`;
    if (files.has(name)) alignments.set(id, await parsed(files, name));
  }
  const song = inFile('song.json', () => validatedSong(withAlignments(document, alignments)));
  const known = new Map(manifest.recordings.map(r => [r.id, r]));
  for (const track of song.tracks) for (const take of track.takes) requireRecording(files, known, track.name, take);
  const told = (id: string): BundledRecording => {
    const r = known.get(id);
    if (!r) throw new BundleError('a recording is missing in it');
    return r;
  };
  const kept = past === undefined ? null : usableHistory(song, past, alignments, known);
  return {
    song,
    history: kept?.history ?? null,
    unusable: kept?.why ?? null,
    ids: allRecordings(song, kept?.history),
    async packed(id) {
      const r = told(id);
      return { told: r, bytes: await unpacked(files, `audio/${id}.${r.as}`) };
    },
    async recording(id) {
      const r = told(id);
      const channels = await unpackedRecording(files, r);
      if (channels.length !== r.channels || channels[0].length !== r.length || (await hash(channels)) !== id)
        throw new BundleError(`the recording ${r.name} in it is damaged`);
      return { id, name: r.name, sampleRate: r.sampleRate, channels, ...(r.origin ? { origin: r.origin } : {}) };
    },
  };
}

/** An undo history that came along, when all of it can be gone through and its recordings are there; else why not. */
function usableHistory(
  song: Song,
  past: unknown,
  alignments: ReadonlyMap<string, unknown>,
  known: ReadonlyMap<string, BundledRecording>,
): { history: StoredHistory | null; why: string | null } {
  if (typeof past === 'string') return { history: null, why: past };
  try {
    const history = storedHistory(historyFrom(song, withAlignments(past, alignments)));
    const missing = allRecordings(song, history).some(id => !known.has(id));
    return missing ? { history: null, why: 'a recording of it is missing' } : { history, why: null };
  } catch (error) {
    return { history: null, why: error instanceof DocumentError ? error.message : 'it is damaged' };
  }
}

const said = (error: unknown): string => (error instanceof Error ? error.message : String(error));

function inFile<T>(name: string, make: () => T): T {
  try {
    return make();
  } catch (error) {
    // a document may break a program in more ways than it can be wrong
    throw new BundleError(
      `${name} in it cannot be used: ${error instanceof DocumentError ? error.message : 'it is damaged'}`,
    );
  }
}

function requireRecording(
  files: Files,
  known: ReadonlyMap<string, BundledRecording>,
  track: string,
  take: { name: string; sourceId: string },
): void {
  const r = known.get(take.sourceId);
  if (!r || !files.has(`audio/${r.id}.${r.as}`))
    throw new BundleError(`the recording of ${track}, ${take.name}, is missing in it`);
  if (r.length > LONGEST_SECONDS * r.sampleRate)
    throw new BundleError(`the recording of ${track} in it is longer than an hour and a half`);
}

async function unpackedRecording(files: Files, r: BundledRecording): Promise<Float32Array[]> {
  try {
    const bytes = await unpacked(files, `audio/${r.id}.${r.as}`);
    const { sampleRate, channels } = r.as === 'flac' ? await unpackFlac(bytes, r.length) : readWav(bytes);
    if (sampleRate !== r.sampleRate) throw new AudioFileError(`its rate is not ${r.sampleRate} Hz`);
    return channels;
  } catch (error) {
    throw new BundleError(`the recording ${r.name} in it is damaged: ${said(error)}`);
  }
}

async function unpacked(files: Files, name: string): Promise<Uint8Array<ArrayBuffer>> {
  const entry = files.get(name);
  if (!entry) throw new BundleError(`${name} is missing in it`);
  try {
    return await entry.getData(new BoundedWriter(entry.uncompressedSize), { checkSignature: true });
  } catch (error) {
    if (error instanceof BundleError) throw error;
    throw new BundleError(`${name} in it is damaged`);
  }
}

async function parsed(files: Files, name: string): Promise<unknown> {
  const bytes = await unpacked(files, name);
  try {
    return JSON.parse(new Utf8('utf-8', { fatal: true }).decode(bytes)) as unknown;
  } catch {
    throw new BundleError(`${name} in it is damaged`);
  }
}

interface Decoder {
  decode(bytes: Uint8Array): string;
}
// browsers and Node have it alike, and the core is checked without either
const { TextDecoder: Utf8 } = globalThis as unknown as {
  TextDecoder: new (label: string, options: { fatal: boolean }) => Decoder;
};

/** A zip's files, none unpacked. @throws BundleError */
async function filesOf(source: ByteSource): Promise<Files> {
  if (source.size > LARGEST_BUNDLE) throw new BundleError('it is larger than 4 GB');
  const [p, k] = await source.read(0, Math.min(2, source.size));
  if (p !== 0x50 || k !== 0x4b) throw new BundleError('it is not a song bundle');
  const files = new Map<string, zip.FileEntry>();
  const sizes = { text: 0, all: 0 };
  try {
    for await (const entry of new zip.ZipReader(new SourceReader(source)).getEntriesGenerator()) {
      if (entry.directory) continue;
      const { filename: name, uncompressedSize: size } = entry;
      if (!NAMES.test(name))
        throw new BundleError(`it holds “${name.slice(0, 60)}”, which does not belong in a song bundle`);
      if (files.has(name)) throw new BundleError(`it holds ${name} twice`);
      if (entry.encrypted) throw new BundleError(`${name} in it is encrypted`);
      const audio = name.startsWith('audio/');
      sizes.all += size;
      if (!audio) sizes.text += size;
      if (size > (audio ? MOST_RECORDING : MOST_TEXT)) throw new BundleError(`${name} in it is far too large`);
      if (sizes.text > MOST_TEXT || sizes.all > MOST_UNPACKED) throw new BundleError('what it holds is far too large');
      files.set(name, entry);
      if (files.size > MOST_FILES) throw new BundleError('it holds too many files');
    }
  } catch (error) {
    if (error instanceof BundleError) throw error;
    throw new BundleError('it is damaged');
  }
  return files;
}
