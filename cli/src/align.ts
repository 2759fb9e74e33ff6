import { mkdirSync, statSync } from 'node:fs';
import { basename, join, resolve } from 'node:path';
import {
  Aligner,
  alignFeatures,
  analyseVoice,
  followedMap,
  leadAt,
  mixDown,
  splitTake,
  NothingToAlign,
  planTake,
  renderAll,
  TimeMap,
  type AlignFeatures,
  type Alignment,
  type Meeting,
  type Reading,
  type Tie,
} from '@essim/core';
import { inputFile, readingOf, UserError, writeLike, writeOutput, type InputFile } from './files';

export interface AlignOptions {
  output: string;
  closeness: number;
  lean: number;
  levelLean: number;
  tie?: string[];
  json?: string;
}

interface Heard {
  input: InputFile;
  reading: Reading;
}

/** How far a word may be bent. */
const BENDING = 1.6;

/** "1.52=1.48" or "1.52=1.48!": follower and lead seconds, locked. @throws UserError */
function tieOption(text: string): Tie & { locked: boolean } {
  const m = /^(\d+(?:\.\d+)?)=(\d+(?:\.\d+)?)(!?)$/.exec(text);
  if (!m) throw new UserError(`--tie: "${text}" is not a pair of seconds like 1.52=1.48, with ! to lock it`);
  return { follower: Number(m[1]), lead: Number(m[2]), locked: m[3] === '!' };
}

const lengthOf = ({ input }: Heard) => input.channels[0].length / input.sampleRate;

export function alignCommand(leadPath: string, followerPaths: string[], options: AlignOptions): void {
  const ties = (options.tie ?? []).map(tieOption);
  const sorted = [...ties].sort((a, b) => a.follower - b.follower);
  if (sorted.some((t, i) => i && (t.follower <= sorted[i - 1].follower || t.lead <= sorted[i - 1].lead)))
    throw new UserError('--tie: ties must not cross or meet each other');
  if (ties.length && followerPaths.length > 1) throw new UserError('--tie: give it with one follower at a time');
  const several = followerPaths.length > 1;
  const names = followerPaths.map(p => basename(p));
  const twice = names.find((n, i) => names.indexOf(n) !== i);
  if (twice) throw new UserError(`${twice}: two followers have this name, and both would be written to it`);
  if (several && statSync(options.output, { throwIfNoEntry: false })?.isFile())
    throw new UserError(`${options.output}: with several followers this must be a folder`);
  const heard = [leadPath, ...followerPaths].map(inputFile);
  const [lead, ...followers] = heard.map((input): Heard => ({ input, reading: readingOf(input) }));
  for (const t of ties)
    if (t.follower > lengthOf(followers[0]) || t.lead > lengthOf(lead))
      throw new UserError(`--tie: ${t.follower}=${t.lead} lies beyond the end of a file`);

  const done = followers.map(follower => {
    const alignment = alignOne(lead, follower, ties);
    return { follower, alignment, channels: rendered(lead, follower, alignment, ties, options) };
  });
  if (several) mkdirSync(options.output, { recursive: true });
  for (const { follower, channels } of done) {
    const path = several ? join(options.output, basename(follower.input.path)) : options.output;
    if (heard.some(h => resolve(h.path) === resolve(path)))
      throw new UserError(`${path}: an input would be written over`);
    writeLike(follower.input, path, channels);
  }
  if (!options.json) return;
  const reports = done.map(({ follower, alignment }) => ({
    ...(several ? { file: basename(follower.input.path) } : {}),
    map: pairsOf(alignment.map, lengthOf(follower)),
    apart: alignment.apart,
  }));
  writeOutput(options.json, JSON.stringify(several ? { followers: reports } : reports[0]));
}

/** Pairs of matching times, from where both have begun to where the follower ends. */
function pairsOf(map: readonly Meeting[], end: number): { follower: number; lead: number }[] {
  const time = TimeMap.through(map);
  const from = Math.max(0, time.backward(0));
  const between = map.filter(p => p.from > from && p.from < end);
  return [from, ...between.map(p => p.from), end].map(t => ({ follower: t, lead: Math.max(0, time.forward(t)) }));
}

/** @throws UserError naming the file that is silent */
function alignOne(lead: Heard, follower: Heard, ties: Tie[]): Alignment {
  const seconds = Math.max(lengthOf(lead), lengthOf(follower));
  const features = ({ input, reading }: Heard): AlignFeatures =>
    alignFeatures(mixDown(input.channels), input.sampleRate, seconds, reading.f0);
  try {
    return new Aligner(features(follower), features(lead)).align({ ties });
  } catch (error) {
    if (error instanceof NothingToAlign)
      throw new UserError(`${(error.message.includes('lead') ? lead : follower).input.path}: ${error.message}`);
    throw error;
  }
}

function rendered(
  lead: Heard,
  follower: Heard,
  alignment: Alignment,
  ties: (Tie & { locked: boolean })[],
  { closeness, lean, levelLean }: AlignOptions,
): Float32Array[] {
  const { input, reading } = follower;
  const exact = ties.filter(t => t.locked).map(t => ({ from: t.follower, to: t.lead }));
  const loose = ties.filter(t => !t.locked).map(t => ({ from: t.follower, to: t.lead }));
  const rule = { closeness, bending: BENDING, exact, ties: loose, asSung: [] };
  const time = followedMap(alignment, rule, lengthOf(follower));
  const movements = splitTake(reading);
  const full = TimeMap.through(alignment.map);
  const theirs = splitTake(lead.reading);
  const line = {
    cents: theirs.sung.map((c, j) => (theirs.voiced[j] ? c : NaN)),
    levelDb: lead.reading.levelDb,
    hop: lead.reading.hop,
  };
  const { cents, levelDb } = leadAt(line, movements.sung.length, reading.hop, full, alignment.apart);
  const plan = planTake(
    movements,
    {},
    {
      time,
      ...(lean ? { lean: { lead: cents, amount: lean } } : {}),
      ...(levelLean ? { levelLean: { lead: levelDb, amount: levelLean } } : {}),
    },
  );
  const out = renderAll(analyseVoice(input.channels, input.sampleRate, reading.f0, reading.hop), plan.voice);
  // as long as it was, from the same zero
  const length = input.channels[0].length;
  return out.map(c => {
    const y = new Float32Array(length);
    y.set(c.subarray(0, length));
    return y;
  });
}
