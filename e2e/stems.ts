import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { readWav, writeWav, type WavOptions } from '@essim/core';
import { demoFolder, root } from './browser';

export const RATE = 48000;

/** A folder of sound files for one test file, made of the demo song's recordings. */
export class Stems {
  readonly folder = mkdtempSync(join(tmpdir(), 'essim-stems-'));

  /** A span of a demo recording, s. */
  cut(name: string, from: number, to: number): Float32Array[] {
    return readWav(new Uint8Array(readFileSync(join(demoFolder, `${name}.wav`)))).channels.map(c =>
      c.slice(Math.round(RATE * from), Math.round(RATE * to)),
    );
  }

  file(name: string, bytes: Uint8Array | string): string {
    writeFileSync(join(this.folder, name), bytes);
    return join(this.folder, name);
  }

  wav(name: string, channels: Float32Array[], options: Partial<WavOptions> = {}, sampleRate = RATE): string {
    return this.file(name, writeWav({ sampleRate, channels }, { format: 'int24', ...options }));
  }

  /** A file of e2e/fixtures under another name. */
  fixture(name: string, as: string): string {
    return this.file(as, new Uint8Array(readFileSync(join(root, 'e2e/fixtures', name))));
  }

  clear(): void {
    rmSync(this.folder, { recursive: true, force: true });
  }
}
