import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { readWav, writeWav } from '@essim/core';
import type { Truth } from './singer/perform';
import { SAMPLE_RATE } from './singer/tract';
import { backing } from './song/backing';
import { landingChord } from './song/chord';
import { BPM, CHORDS, TRACKS, VOCALS } from './song/ferry-lamp';
import { singVocal } from './song/sing';

/**
 * Makes the demo song's files in a folder: one WAV a track and the truth of each vocal; then song.json, which the app opens.
 * Usage: tsx demo/src/make.ts FOLDER NAMES   (commas; "backing" and the vocals' names), so that two processes can share the work
 *        tsx demo/src/make.ts FOLDER         song.json from what is there
 */
const [folder, names] = process.argv.slice(2);
mkdirSync(folder, { recursive: true });
if (names) names.split(',').forEach(make);
else describe();

function make(name: string): void {
  if (name === 'backing')
    return save(name, writeWav({ sampleRate: SAMPLE_RATE, channels: backing() }, { format: 'int16', dither: true }));
  if (name === 'chord') {
    const { samples, at, lines } = landingChord();
    save(name, writeWav({ sampleRate: SAMPLE_RATE, channels: [samples] }, { format: 'int24' }));
    return writeFileSync(join(folder, 'chord.truth.json'), JSON.stringify({ at, words: [], lines }));
  }
  const { samples, truth } = singVocal(name);
  save(name, writeWav({ sampleRate: SAMPLE_RATE, channels: [samples] }, { format: 'int24' }));
  writeFileSync(join(folder, `${name}.truth.json`), JSON.stringify(truth));
}

function save(name: string, bytes: Uint8Array): void {
  writeFileSync(join(folder, `${name}.wav`), bytes);
}

/** SHA-256 of the samples, the name under which the app keeps a recording. */
function sourceName(name: string): string {
  const hash = createHash('sha256');
  for (const c of readWav(new Uint8Array(readFileSync(join(folder, `${name}.wav`)))).channels)
    hash.update(new DataView(c.buffer));
  return hash.digest('hex');
}

function truthOf(name: string): (Pick<Truth, 'words'> & { at?: number }) | null {
  const path = join(folder, `${name}.truth.json`);
  return existsSync(path) ? (JSON.parse(readFileSync(path, 'utf8')) as Truth) : null;
}

/** The words of a vocal from its truth. */
function wordsOf(name: string) {
  return (truthOf(name)?.words ?? []).map(w => ({ text: w.word, start: w.start, end: w.end }));
}

function describe(): void {
  const known = new Set([...VOCALS.map(v => v.name), 'backing', 'chord']);
  const tracks = TRACKS.map(t => ({
    ...t,
    takes: t.takes
      .filter(k => known.has(k.file))
      .map(k => ({
        name: k.name,
        file: `${k.file}.wav`,
        sourceId: sourceName(k.file),
        words: wordsOf(k.file),
        offset: truthOf(k.file)?.at ?? 0,
      })),
  }));
  writeFileSync(
    join(folder, 'song.json'),
    JSON.stringify({ name: 'Ferry Lamp', sampleRate: SAMPLE_RATE, bpm: BPM, chords: CHORDS, tracks }),
  );
}
