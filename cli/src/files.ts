import {
  chmodSync,
  closeSync,
  fstatSync,
  openSync,
  readFileSync,
  realpathSync,
  renameSync,
  rmSync,
  statSync,
  writeFileSync,
  writeSync,
} from 'node:fs';
import { basename, resolve } from 'node:path';
import {
  AudioFileError,
  mixDown,
  overwriteWav,
  readTake,
  readWav,
  Stopped,
  UnreadableTake,
  writeWav,
  type Range,
  type Reading,
  type WavAudio,
} from '@essim/core';

/** A mistake of the user's; its message is one clear line. */
export class UserError extends Error {}

const said = (error: unknown): string => (error as NodeJS.ErrnoException).code ?? String(error);

/** What makes a file itself, by whatever name it is called. */
const identityOf = (path: string): string | null => {
  const info = statSync(path, { throwIfNoEntry: false });
  return info && info.isFile() ? `${info.dev}:${info.ino}` : null;
};
/** Files this command has read: none of them is written over. */
const inputs = new Set<string>();
export const forgetInputs = (): void => inputs.clear();

/** A file that is read now or later. @throws UserError naming it */
export function openInput(path: string): { fd: number; size: number } {
  try {
    const fd = openSync(path, 'r');
    const info = fstatSync(fd);
    if (info.isDirectory()) {
      closeSync(fd);
      throw Object.assign(new Error(), { code: 'EISDIR' });
    }
    if (info.isFile()) inputs.add(`${info.dev}:${info.ino}`);
    return { fd, size: info.size };
  } catch (error) {
    const code = said(error);
    throw new UserError(
      code === 'ENOENT'
        ? `${path}: there is no such file`
        : code === 'EISDIR'
          ? `${path}: this is a folder, not a file`
          : `${path}: it cannot be read (${code})`,
    );
  }
}

/** A file's bytes. @throws UserError naming the file */
export function bytesOf(path: string): Uint8Array {
  const { fd } = openInput(path);
  try {
    return new Uint8Array(readFileSync(fd));
  } catch (error) {
    throw new UserError(`${path}: it cannot be read (${said(error)})`);
  } finally {
    closeSync(fd);
  }
}

/** A JSON file's value. @throws UserError naming the file */
export function jsonOf(path: string): unknown {
  try {
    return JSON.parse(new TextDecoder('utf-8', { fatal: true }).decode(bytesOf(path))) as unknown;
  } catch (error) {
    if (error instanceof UserError) throw error;
    throw new UserError(`${path}: it is not JSON`);
  }
}

export interface InputFile extends WavAudio {
  path: string;
  bytes: Uint8Array;
}

/** Reads a WAV file. @throws UserError naming the file */
export function inputFile(path: string): InputFile {
  const bytes = bytesOf(path);
  try {
    return { path, bytes, ...readWav(bytes) };
  } catch (error) {
    if (error instanceof AudioFileError) throw new UserError(`${path}: ${error.message}`);
    throw error;
  }
}

/** Tells progress where somebody looks. */
export function tell(text: string): void {
  if (process.stderr.isTTY) process.stderr.write(`\r${text}\x1b[K`);
}
export const tellNothing = (): void => tell('');

/** Reads the voice in a file, with progress on a terminal. @throws UserError naming the file */
export function readingOf(input: InputFile, range: Range = 'auto'): Reading {
  try {
    return readTake(mixDown(input.channels), input.sampleRate, {
      range,
      onProgress: share => tell(`reading ${basename(input.path)} ${Math.round(share * 100)} %`),
    });
  } catch (error) {
    if (error instanceof UnreadableTake) throw new UserError(`${input.path}: ${error.message}`);
    if (error instanceof Stopped) throw new UserError(error.message);
    throw error;
  } finally {
    tellNothing();
  }
}

// ---- writing

export interface Output {
  path: string;
  data: Uint8Array | string;
}

/** Where something is written: a file takes its place whole, a device or pipe is written to. */
interface Place {
  /** As the user called it. */
  path: string;
  /** The file itself, behind whatever links lead to it. */
  target: string;
  /** Of the file that is there now. */
  mode: number | null;
  /** Neither a file nor free: it must not be replaced. */
  special: boolean;
}

function placeOf(path: string): Place {
  const info = statSync(path, { throwIfNoEntry: false });
  if (info?.isDirectory()) throw new UserError(`${path}: this is a folder, not a file`);
  const identity = identityOf(path);
  if (identity && inputs.has(identity)) throw new UserError(`${path}: an input would be written over`);
  const special = !!info && !info.isFile();
  return {
    path,
    // a pipe behind a link, as standard output is, has no path of its own
    target: info && !special ? realpathSync(path) : resolve(path),
    mode: info?.isFile() ? info.mode & 0o7777 : null,
    special,
  };
}

/** Looks whether outputs can be written where they are asked for, before anything is worked out. @throws UserError naming the file */
export function requireOutputs(...paths: (string | undefined)[]): void {
  const targets = new Set<string>();
  for (const path of paths) {
    if (path === undefined) continue;
    const { target, special } = placeOf(path);
    if (!special && targets.has(target)) throw new UserError(`${path}: two results would be written to it`);
    targets.add(target);
  }
}

/** Where a result is written until it is whole; a device or pipe takes it as it comes. */
const partOf = ({ target, special }: Place): string => (special ? target : `${target}.part-${process.pid}`);

/** Writes a file piece by piece, whole or not at all. @throws UserError naming the file, and what the work throws */
export async function writePieces(
  path: string,
  work: (put: (bytes: Uint8Array) => void) => Promise<void>,
): Promise<void> {
  const place = placeOf(path);
  const part = partOf(place);
  const written = <T>(step: () => T): T => {
    try {
      return step();
    } catch (error) {
      throw new UserError(`${path}: it cannot be written (${said(error)})`);
    }
  };
  const fd = written(() => openSync(part, 'w'));
  try {
    try {
      await work(bytes =>
        written(() => {
          for (let at = 0; at < bytes.length;) at += writeSync(fd, bytes, at);
        }),
      );
    } finally {
      closeSync(fd);
    }
    if (place.special) return;
    written(() => {
      if (place.mode !== null) chmodSync(part, place.mode);
      renameSync(part, place.target);
    });
  } catch (error) {
    if (!place.special) rmSync(part, { force: true });
    throw error;
  }
}

/** Files that are written one by one as they are made, and are there all at once or not at all. */
export class PendingFiles {
  private readonly written: { part: string; place: Place }[] = [];

  /** @throws UserError naming the file; what was put before is gone then */
  put({ path, data }: Output): void {
    try {
      const place = placeOf(path);
      const part = partOf(place);
      if (!place.special) this.written.push({ part, place });
      writeFileSync(part, data);
      if (!place.special && place.mode !== null) chmodSync(part, place.mode);
    } catch (error) {
      throw this.failed(path, error);
    }
  }

  /** @throws UserError naming the file */
  done(): void {
    for (const { part, place } of this.written) {
      try {
        renameSync(part, place.target);
      } catch (error) {
        throw this.failed(place.path, error);
      }
    }
  }

  giveUp(): void {
    for (const w of this.written) rmSync(w.part, { force: true });
  }

  private failed(path: string, error: unknown): UserError {
    this.giveUp();
    return error instanceof UserError ? error : new UserError(`${path}: it cannot be written (${said(error)})`);
  }
}

/** Writes files, all of them or none. @throws UserError naming the file */
export function writeAll(outputs: readonly Output[]): void {
  requireOutputs(...outputs.map(o => o.path));
  const files = new PendingFiles();
  outputs.forEach(o => files.put(o));
  files.done();
}

/** Writes a file whole or not at all. @throws UserError naming the file */
export const writeOutput = (path: string, data: Uint8Array | string): void => writeAll([{ path, data }]);

/** Samples in the input's rate, channels and bit depth; unchanged samples keep the file's own bits. */
export function bytesLike(input: InputFile, channels: Float32Array[]): Uint8Array {
  return channels[0].length === input.channels[0].length
    ? overwriteWav(input.bytes, channels)
    : writeWav({ sampleRate: input.sampleRate, channels }, { format: input.format });
}

/** Has something of the user's that may be wrong made; names it when it is. @throws UserError */
export function named<T>(name: string, make: () => T): T {
  try {
    return make();
  } catch (error) {
    if (error instanceof UserError) throw error;
    throw new UserError(`${name}: ${error instanceof Error ? error.message : String(error)}`);
  }
}
