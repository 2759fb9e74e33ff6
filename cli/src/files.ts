import { readFileSync, renameSync, rmSync, writeFileSync } from 'node:fs';
import { basename } from 'node:path';
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

/** A file's bytes. @throws UserError naming the file */
export function bytesOf(path: string): Uint8Array {
  try {
    return new Uint8Array(readFileSync(path));
  } catch (error) {
    const code = (error as NodeJS.ErrnoException).code;
    throw new UserError(
      code === 'ENOENT'
        ? `${path}: there is no such file`
        : code === 'EISDIR'
          ? `${path}: this is a folder, not a file`
          : `${path}: it cannot be read (${code})`,
    );
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

/** Reads the voice in a file, with progress on a terminal. @throws UserError naming the file */
export function readingOf(input: InputFile, range: Range = 'auto'): Reading {
  const tty = process.stderr.isTTY;
  try {
    const reading = readTake(mixDown(input.channels), input.sampleRate, {
      range,
      onProgress: share => {
        if (tty) process.stderr.write(`\rreading ${basename(input.path)} ${Math.round(share * 100)} %  `);
      },
    });
    return reading;
  } catch (error) {
    if (error instanceof UnreadableTake) throw new UserError(`${input.path}: ${error.message}`);
    if (error instanceof Stopped) throw new UserError(error.message);
    throw error;
  } finally {
    if (tty) process.stderr.write('\r\x1b[K');
  }
}

/** Writes a file whole or not at all. @throws UserError naming the file */
export function writeOutput(path: string, data: Uint8Array | string): void {
  const part = `${path}.part-${process.pid}`;
  try {
    writeFileSync(part, data);
    renameSync(part, path);
  } catch (error) {
    rmSync(part, { force: true });
    throw new UserError(`${path}: it cannot be written (${(error as NodeJS.ErrnoException).code})`);
  }
}

/** Writes samples in the input's rate, channels and bit depth; unchanged samples keep the file's own bits. */
export function writeLike(input: InputFile, path: string, channels: Float32Array[]): void {
  const sameLength = channels[0].length === input.channels[0].length;
  writeOutput(
    path,
    sameLength
      ? overwriteWav(input.bytes, channels)
      : writeWav({ sampleRate: input.sampleRate, channels }, { format: input.format }),
  );
}
