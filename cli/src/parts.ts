import { mkdirSync, statSync } from 'node:fs';
import { basename, extname, join } from 'node:path';
import {
  Chord,
  chordTones,
  followRecipe,
  Listener,
  median,
  newPart,
  onlyOf,
  parseKey,
  parsePart,
  PartRule,
  readMelody,
  readRecipe,
  scattered,
  Song,
  Take,
  Track,
  usualCompasses,
  withParts,
  type PartLine,
  type Reading,
  type TrackView,
} from '@essim/core';
import {
  bytesLike,
  bytesOf,
  inputFile,
  named,
  readingOf,
  requireOutputs,
  UserError,
  writeAll,
  type Output,
} from './files';

export interface PartsOptions {
  output: string;
  key: string;
  part?: string[];
  chords?: string;
  voices: number;
  melody?: string;
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
  const twice = asked.find((l, i) => asked.findIndex(m => m.text === l.text) !== i);
  if (twice) throw new UserError(`--part: ${twice.text} is asked for twice`);
  return asked;
}

/** Chords by name, each as long as the others, over the whole of a file. */
function chordsAsked(text: string, duration: number): Chord[] {
  const names = text.split(/[\s,|]+/).filter(Boolean);
  if (!names.length) throw new UserError('--chords: no chord is named; write for example "D G A D"');
  const wrong = names.find(n => !chordTones(n).length);
  if (wrong) throw new UserError(`--chords: "${wrong}" is no chord; write for example D, F#m7 or Bb/D`);
  return names.map((name, i) => Object.assign(new Chord(), { start: (i * duration) / names.length, name }));
}

/** A part of the song that is made here, and what its file and its entry are called. */
interface Made {
  name: string;
  track: Track;
}

export async function partsCommand(path: string, options: PartsOptions): Promise<void> {
  const key = named('--key', () => parseKey(options.key));
  const asked = partsAsked(options.part ?? []);
  const { chords, melody, seed, scatter } = options;
  if (!asked.length && chords === undefined && melody === undefined)
    throw new UserError('--part: say which parts to make, for example --part +3rd, or give --chords or --melody');
  if (statSync(options.output, { throwIfNoEntry: false })?.isFile())
    throw new UserError(`${options.output}: this must be a folder, not a file`);
  const guide = melody === undefined ? null : named(melody, () => readMelody(bytesOf(melody)));
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
  let song: Song = Object.assign(new Song(), {
    id: 'song',
    name: 'Song',
    sampleRate: input.sampleRate,
    key,
    tracks: [lead],
    chords: chords === undefined ? [] : chordsAsked(chords, reading.duration),
  });
  const made: Made[] = [];
  for (const [i, { text, line }] of asked.entries()) {
    const { track } = newPart(song, lead, line, null, `part-${i}`);
    song = { ...song, tracks: [...song.tracks, track] };
    made.push({ name: text, track });
  }
  const steps = [
    ...(chords === undefined
      ? []
      : [{ do: 'chord-parts', on, with: { voices: voicesAsked(options.voices, reading), seed: seed - 1 } }]),
    ...(guide
      ? [{ do: 'part-from', on, with: { notes: guide.map(n => [n.start, n.end, n.midi]), name: 'Guide' } }]
      : []),
  ];
  let count = 0;
  const followed = await followRecipe(withParts(song), readRecipe({ recipe: 1, steps }), {
    scoreFor: (s, tracks, edited) => listener.score(s, tracks, edited),
    findAlignment: () => Promise.reject(new Error('nobody follows')),
    newId: () => `made-${++count}`,
  });
  song = followed.at(-1)?.song ?? song;
  for (const track of song.tracks)
    if (track.part && track.id.startsWith('made')) made.push({ name: track.name, track });
  const written: Output[] = [];
  const parts: object[] = [];
  for (const [i, { name, track }] of made.entries()) {
    const said = scatter === undefined ? {} : { scatterTime: scatter, scatterPitch: scatter, formant: 0 };
    const part: PartRule = Object.assign(new PartRule(), track.part, { seed: seed + i }, said);
    song = withParts({ ...song, tracks: song.tracks.map(t => (t.id === track.id ? { ...t, part } : t)) });
    const own = song.tracks.find(t => t.id === track.id)!;
    const { sources } = await listener.rendered(song, own);
    const file = `${basename(path, extname(path))} ${name}.wav`;
    const [channels] = [...sources.values()];
    written.push({
      path: join(options.output, file),
      data: bytesLike(
        input,
        channels.map(c => cutTo(c, input.channels[0].length)),
      ),
    });
    const { score } = await listener.planned(song, [own]);
    parts.push({ name, file, notes: notesOf(score.view(track.id), part) });
  }
  mkdirSync(options.output, { recursive: true });
  writeAll(options.json ? [...written, { path: options.json, data: JSON.stringify({ parts }) }] : written);
}

const on = { tracks: 'Lead' };

function voicesAsked(voices: number, { notes }: Reading) {
  if (!notes.length) throw new UserError('--chords: nothing is sung here that parts could be made of');
  return usualCompasses(voices, median(notes.map(n => n.pitch)));
}

function cutTo(x: Float32Array, length: number): Float32Array {
  const y = new Float32Array(length);
  y.set(x.subarray(0, length));
  return y;
}

/** Where a part's notes are heard: moved in time and pitch by what was drawn for it. */
function notesOf(view: TrackView, { scatterTime, scatterPitch, seed }: PartRule) {
  const { hop, f0 } = view.reading!;
  const drawn = scattered(view.notes, { time: scatterTime, pitch: scatterPitch, seed }, hop, f0.length);
  return view.notes.flatMap(n => {
    const edit = view.edits[n.key];
    if (edit.silent) return [];
    const [from, to] = [n.start, n.end].map(t => Math.round(t / hop));
    const off = drawn.cents.subarray(from, to).reduce((s, c) => s + c, 0) / Math.max(1, to - from);
    const heard = (start: number, end: number, midi: number) => ({
      start: drawn.time.forward(start),
      end: drawn.time.forward(end),
      pitch: midi + off / 100,
    });
    if (!edit.drawn) return [heard(n.start, n.end, edit.target!)];
    // several on one syllable, each level from one point of the stroke to the next
    return edit.drawn.flatMap(stroke =>
      Array.from({ length: stroke.length / 4 }, (_, i) => heard(stroke[4 * i], stroke[4 * i + 2], stroke[4 * i + 1])),
    );
  });
}
