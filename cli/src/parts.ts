import { mkdirSync, statSync } from 'node:fs';
import { basename, extname, join } from 'node:path';
import {
  Listener,
  newPart,
  onlyOf,
  parseKey,
  parsePart,
  PartRule,
  scattered,
  Song,
  Take,
  Track,
  withParts,
  type PartLine,
  type TrackView,
} from '@essim/core';
import { bytesLike, inputFile, named, readingOf, requireOutputs, UserError, writeAll, type Output } from './files';

export interface PartsOptions {
  output: string;
  key: string;
  part?: string[];
  seed: number;
  /** Unless it is said, a part differs from its lead as the app would make it. */
  scatter?: number;
  json?: string;
}

interface Asked {
  text: string;
  line: PartLine;
}

function partsAsked(texts: readonly string[]): Asked[] {
  const asked = texts.map(text => ({ text, line: named('--part', () => parsePart(text)) }));
  if (!asked.length) throw new UserError('--part: say which parts to make, for example --part +3rd');
  const twice = asked.find((l, i) => asked.findIndex(m => m.text === l.text) !== i);
  if (twice) throw new UserError(`--part: ${twice.text} is asked for twice`);
  return asked;
}

export async function partsCommand(path: string, options: PartsOptions): Promise<void> {
  const key = named('--key', () => parseKey(options.key));
  const asked = partsAsked(options.part ?? []);
  if (statSync(options.output, { throwIfNoEntry: false })?.isFile())
    throw new UserError(`${options.output}: this must be a folder, not a file`);
  const input = inputFile(path);
  requireOutputs(options.json);
  const reading = readingOf(input);
  const listener = new Listener({ channels: () => Promise.resolve(input.channels), reading: () => reading });
  const take = Object.assign(new Take(), { id: 'take', name: 'Take 1', sourceId: 'lead', offsetSeconds: 0 });
  const lead = Object.assign(new Track(), {
    id: 'lead',
    name: 'Lead',
    role: 'lead',
    takes: [take],
    segments: [onlyOf(take.id)],
  });
  const bare = Object.assign(new Song(), {
    id: 'song',
    name: 'Song',
    sampleRate: input.sampleRate,
    key,
    tracks: [lead],
  });
  const stem = basename(path, extname(path));
  const written: Output[] = [];
  const parts: object[] = [];
  for (const [i, { text, line }] of asked.entries()) {
    const { track } = newPart(bare, lead, line, null, `part-${i}`);
    const seed = options.seed + i;
    const { scatter } = options;
    const said = scatter === undefined ? {} : { scatterTime: scatter, scatterPitch: scatter, formant: 0 };
    const part: PartRule = Object.assign(new PartRule(), track.part, { seed }, said);
    const song = withParts({ ...bare, tracks: [lead, { ...track, part }] });
    const { sources } = await listener.rendered(song, song.tracks[1]);
    const file = `${stem} ${text}.wav`;
    const [channels] = [...sources.values()];
    const length = input.channels[0].length;
    written.push({
      path: join(options.output, file),
      data: bytesLike(
        input,
        channels.map(c => {
          const y = new Float32Array(length);
          y.set(c.subarray(0, length));
          return y;
        }),
      ),
    });
    const { score } = await listener.planned(song, [song.tracks[1]]);
    parts.push({ name: text, file, notes: notesOf(score.view(track.id), part) });
  }
  mkdirSync(options.output, { recursive: true });
  writeAll(options.json ? [...written, { path: options.json, data: JSON.stringify({ parts }) }] : written);
}

/** Where a part's notes are heard: moved in time and pitch by what was drawn for it. */
function notesOf(view: TrackView, { scatterTime, scatterPitch, seed }: PartRule) {
  const { hop, f0 } = view.reading!;
  const drawn = scattered(view.notes, { time: scatterTime, pitch: scatterPitch, seed }, hop, f0.length);
  return view.notes.map(n => {
    const [from, to] = [n.start, n.end].map(t => Math.round(t / hop));
    const off = drawn.cents.subarray(from, to).reduce((s, c) => s + c, 0) / Math.max(1, to - from);
    return {
      start: drawn.time.forward(n.start),
      end: drawn.time.forward(n.end),
      pitch: view.edits[n.key].target! + off / 100,
    };
  });
}
