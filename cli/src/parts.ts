import { mkdirSync, statSync } from 'node:fs';
import { basename, extname, join } from 'node:path';
import {
  analyseVoice,
  splitTake,
  noteFacts,
  parseKey,
  parsePart,
  partEdits,
  planTake,
  renderAll,
  scaleOfKey,
  scattered,
  usualDifferences,
  type Key,
  type PartLine,
} from '@essim/core';
import { inputFile, readingOf, UserError, writeLike, writeOutput } from './files';

export interface PartsOptions {
  output: string;
  key: string;
  part?: string[];
  seed: number;
  /** Unless it is said, a part differs from its lead as the app would make it. */
  scatter?: number;
  json?: string;
}

const option = <T>(name: string, make: () => T): T => {
  try {
    return make();
  } catch (error) {
    throw new UserError(`${name}: ${(error as Error).message}`);
  }
};

export function partsCommand(path: string, options: PartsOptions): void {
  const key: Key = option('--key', () => parseKey(options.key));
  const lines = (options.part ?? []).map(text => ({ text, line: option('--part', () => parsePart(text)) }));
  if (!lines.length) throw new UserError('--part: say which parts to make, for example --part +3rd');
  const twice = lines.find((l, i) => lines.findIndex(m => m.text === l.text) !== i);
  if (twice) throw new UserError(`--part: ${twice.text} is asked for twice`);
  if (statSync(options.output, { throwIfNoEntry: false })?.isFile())
    throw new UserError(`${options.output}: this must be a folder, not a file`);
  const input = inputFile(path);
  const reading = readingOf(input);
  const movements = splitTake(reading);
  const scale = scaleOfKey(key);
  const facts = noteFacts(movements);
  const analysis = analyseVoice(input.channels, input.sampleRate, reading.f0, reading.hop);
  const make = (line: PartLine, seed: number) => {
    const edits = partEdits(facts, {}, {}, line, () => scale);
    const usual = usualDifferences(line);
    const scatter = options.scatter ?? usual.scatter;
    const formant = options.scatter === undefined ? usual.formant : 0;
    const drawn = scattered(facts, { time: scatter, pitch: scatter, seed }, reading.hop, reading.f0.length);
    const { voice } = planTake(movements, edits, scatter ? { ...drawn, formant } : {});
    const notes = facts.map(n => {
      const [from, to] = [n.start, n.end].map(t => Math.round(t / reading.hop));
      const off = drawn.cents.subarray(from, to).reduce((s, c) => s + c, 0) / Math.max(1, to - from);
      return {
        start: drawn.time.forward(n.start),
        end: drawn.time.forward(n.end),
        pitch: edits[n.key].target! + (scatter ? off / 100 : 0),
      };
    });
    const length = input.channels[0].length;
    const channels = renderAll(analysis, voice).map(c => {
      const y = new Float32Array(length);
      y.set(c.subarray(0, length));
      return y;
    });
    return { notes, channels };
  };
  const made = lines.map(({ text, line }, i) => ({ text, ...make(line, options.seed + i) }));
  mkdirSync(options.output, { recursive: true });
  const stem = basename(path, extname(path));
  const parts = made.map(({ text, notes, channels }) => {
    const file = `${stem} ${text}.wav`;
    writeLike(input, join(options.output, file), channels);
    return { name: text, file, notes };
  });
  if (options.json) writeOutput(options.json, JSON.stringify({ parts }));
}
