import { mkdirSync, existsSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { writeWav } from '@essim/core';
import { backing } from './song/backing';
import { BPM, CHORDS, DURATION, VOCALS } from './song/ferry-lamp';
import { singVocal } from './song/sing';
import { SAMPLE_RATE } from './singer/tract';

/**
 * Makes the demo song's files in a folder: one WAV a track, the truth of each vocal, song.json.
 * Usage: tsx demo/src/make.ts FOLDER STAMP [LIMIT]; does nothing when the folder already carries the stamp.
 * LIMIT names only these tracks (commas), so that two processes can share the work.
 */
const [folder, stamp, only] = process.argv.slice(2);
const stampFile = join(folder, `stamp-${only ?? 'all'}`);
if (existsSync(stampFile) && readFileSync(stampFile, 'utf8') === stamp) process.exit(0);
mkdirSync(folder, { recursive: true });
const wanted = only?.split(',');
for (const { name } of VOCALS) {
  if (wanted && !wanted.includes(name)) continue;
  const { samples, truth } = singVocal(name);
  writeFileSync(join(folder, `${name}.wav`), writeWav({ sampleRate: SAMPLE_RATE, channels: [samples] }, { format: 'int24' }));
  writeFileSync(join(folder, `${name}.truth.json`), JSON.stringify(truth));
}
if (!wanted || wanted.includes('backing')) {
  writeFileSync(join(folder, 'backing.wav'), writeWav({ sampleRate: SAMPLE_RATE, channels: backing() }, { format: 'int16', dither: true }));
  writeFileSync(join(folder, 'song.json'), JSON.stringify({ name: 'Ferry Lamp', bpm: BPM, chords: CHORDS, duration: DURATION }));
}
writeFileSync(stampFile, stamp);
