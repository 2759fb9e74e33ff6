import { mkdirSync, readdirSync, rmdirSync, statSync } from 'node:fs';
import { basename, join } from 'node:path';
import {
  AlignRule,
  Listener,
  NothingToAlign,
  onlyOf,
  resample,
  Song,
  Take,
  TieMark,
  TimeMap,
  Track,
  type FoundAlignment,
  type Meeting,
} from '@essim/core';
import { bytesLike, inputFile, PendingFiles, readingOf, requireOutputs, UserError, type InputFile } from './files';

export interface AlignOptions {
  output: string;
  closeness: number;
  lean: number;
  levelLean: number;
  tie?: string[];
  json?: string;
}

/** "1.52=1.48" or "1.52=1.48!": follower and lead seconds, locked. @throws UserError */
function tieOption(text: string): TieMark {
  const m = /^(\d+(?:\.\d+)?)=(\d+(?:\.\d+)?)(!?)$/.exec(text);
  if (!m) throw new UserError(`--tie: "${text}" is not a pair of seconds like 1.52=1.48, with ! to lock it`);
  return Object.assign(new TieMark(), {
    follower: Number(m[1]),
    lead: Number(m[2]),
    ...(m[3] === '!' ? { locked: true } : {}),
  });
}

const secondsOf = (input: InputFile) => input.channels[0].length / input.sampleRate;

export async function alignCommand(leadPath: string, followerPaths: string[], options: AlignOptions): Promise<void> {
  const ties = tiesFor(options.tie ?? [], followerPaths);
  const several = followerPaths.length > 1;
  requireNames(followerPaths, options.output);
  const lead = inputFile(leadPath);
  const outputs = followerPaths.map(path => (several ? join(options.output, basename(path)) : options.output));
  // each is looked at before anything is worked out, and held only while its turn is: a stack of ten minutes is a gigabyte
  for (const path of followerPaths) {
    const follower = inputFile(path);
    for (const t of ties)
      if (t.follower > secondsOf(follower) || t.lead > secondsOf(lead))
        throw new UserError(`--tie: ${t.follower}=${t.lead} lies beyond the end of a file`);
  }
  requireOutputs(...outputs, options.json);
  const made = several && !statSync(options.output, { throwIfNoEntry: false });
  if (several) mkdirSync(options.output, { recursive: true });
  const files = new PendingFiles();
  const reports: object[] = [];
  try {
    for (const [i, path] of followerPaths.entries()) {
      const follower = inputFile(path);
      const { channels, found } = await aligned(lead, follower, ties, options);
      files.put({ path: outputs[i], data: bytesLike(follower, channels) });
      reports.push({
        ...(several ? { file: basename(path) } : {}),
        map: pairsOf(meetings(found), secondsOf(follower)),
        apart: found.apart,
      });
    }
    if (options.json)
      files.put({ path: options.json, data: JSON.stringify(several ? { followers: reports } : reports[0]) });
    files.done();
  } catch (error) {
    files.giveUp();
    if (made && !readdirSync(options.output).length) rmdirSync(options.output);
    throw error;
  }
}

/** @throws UserError for ties that cannot be kept */
function tiesFor(texts: readonly string[], followers: readonly string[]): TieMark[] {
  const ties = texts.map(tieOption);
  const sorted = [...ties].sort((a, b) => a.follower - b.follower);
  if (sorted.some((t, i) => i && (t.follower <= sorted[i - 1].follower || t.lead <= sorted[i - 1].lead)))
    throw new UserError('--tie: ties must not cross or meet each other');
  if (ties.length && followers.length > 1) throw new UserError('--tie: give it with one follower at a time');
  return sorted;
}

/** @throws UserError when several results would have one name */
function requireNames(paths: readonly string[], output: string): void {
  const names = paths.map(p => basename(p));
  const twice = names.find((n, i) => names.indexOf(n) !== i);
  if (twice) throw new UserError(`${twice}: two followers have this name, and both would be written to it`);
  if (paths.length > 1 && statSync(output, { throwIfNoEntry: false })?.isFile())
    throw new UserError(`${output}: with several followers this must be a folder`);
}

const meetings = ({ points }: FoundAlignment): Meeting[] =>
  Array.from({ length: points.length >> 1 }, (_, i) => ({ from: points[2 * i], to: points[2 * i + 1] }));

/** Pairs of matching times, from where both have begun to where the follower ends. */
function pairsOf(map: readonly Meeting[], end: number): { follower: number; lead: number }[] {
  const time = TimeMap.through(map);
  const from = Math.max(0, time.backward(0));
  const between = map.filter(p => p.from > from && p.from < end);
  return [from, ...between.map(p => p.from), end].map(t => ({ follower: t, lead: Math.max(0, time.forward(t)) }));
}

/** A follower as it is heard, as long as it was. @throws UserError naming the file that is silent */
async function aligned(
  lead: InputFile,
  follower: InputFile,
  ties: readonly TieMark[],
  { closeness, lean, levelLean }: AlignOptions,
): Promise<{ channels: Float32Array[]; found: FoundAlignment }> {
  const files = { lead, follower };
  const listener = new Listener({
    channels: id => {
      const file = files[id as keyof typeof files];
      return Promise.all(file.channels.map(c => resample(c, file.sampleRate, follower.sampleRate)));
    },
    reading: take => readingOf(files[take.sourceId as keyof typeof files]),
  });
  const trackOf = (id: keyof typeof files, fields: Partial<Track>) =>
    Object.assign(new Track(), {
      id,
      name: basename(files[id].path),
      role: 'lead',
      takes: [Object.assign(new Take(), { id, name: id, sourceId: id, offsetSeconds: 0 })],
      segments: [onlyOf(id)],
      ...fields,
    });
  const align = Object.assign(new AlignRule(), { closeness, lean, levelLean, ties: [...ties] });
  const song = Object.assign(new Song(), {
    id: 'song',
    name: 'Song',
    sampleRate: follower.sampleRate,
    // whatever the key: nothing is put on it
    key: { tonic: 0, mode: 'major' },
    tracks: [trackOf('lead', {}), trackOf('follower', { role: 'double', followsId: 'lead', align })],
  });
  try {
    const found = await listener.findAlignment(song, song.tracks[1], ties);
    song.tracks[1].found = found;
    const { sources } = await listener.rendered(song, song.tracks[1]);
    const length = follower.channels[0].length;
    const channels = sources.get('follower')!.map(c => {
      const y = new Float32Array(length);
      y.set(c.subarray(0, length));
      return y;
    });
    return { channels, found };
  } catch (error) {
    if (error instanceof NothingToAlign)
      throw new UserError(`${(error.message.includes('lead') ? lead : follower).path}: ${error.message}`);
    throw error;
  }
}
