import { basename, extname } from 'node:path';
import {
  onlyOf,
  parseKey,
  resample,
  ROLES,
  Song,
  Take,
  Tempo,
  Track,
  unpackFlac,
  type Recording,
  type Role,
} from '@essim/core';
import { bytesOf, inputFile, named, requireOutputs, tell, tellNothing, UserError } from './files';
import { recordingName, saveSongFile } from './song-file';

export interface BundleOptions {
  output: string;
  role?: string;
  name?: string;
  tempo?: number;
  key?: string;
  reference: number;
}

/** Longest recording a bundle takes, s. */
const LONGEST = 5400;

/** Makes a song of recordings, a track each. */
export async function bundleCommand(paths: string[], options: BundleOptions): Promise<void> {
  const roles = rolesFor(paths, options.role);
  const names = namesFor(paths, options.name);
  const key = options.key === undefined ? null : named('--key', () => parseKey(options.key!));
  const recordings = new Map<string, Recording>();
  const sounds = [];
  for (const path of paths) sounds.push(await soundOf(path));
  requireOutputs(options.output);
  const { sampleRate } = sounds[0];
  const tracks: Track[] = [];
  for (const [i, sound] of sounds.entries()) {
    if (sound.sampleRate !== sampleRate) tell(`converting ${basename(paths[i])} to ${sampleRate} Hz`);
    const channels = await Promise.all(sound.channels.map(c => resample(c, sound.sampleRate, sampleRate)));
    const id = recordingName(channels);
    recordings.set(id, { id, name: basename(paths[i]), sampleRate, channels });
    const take = Object.assign(new Take(), { id: `take-${i + 1}`, name: 'Take 1', sourceId: id, offsetSeconds: 0 });
    tracks.push(
      Object.assign(new Track(), {
        id: `track-${i + 1}`,
        name: names[i],
        role: roles[i],
        takes: [take],
        segments: [onlyOf(take.id)],
      }),
    );
  }
  tellNothing();
  const lead = tracks.find(t => t.role === 'lead');
  for (const t of tracks) if (lead && (t.role === 'double' || t.role === 'harmony')) t.followsId = lead.id;
  const song = Object.assign(new Song(), {
    id: 'song',
    name: basename(options.output, extname(options.output)).slice(0, 200) || 'Song',
    sampleRate,
    key,
    referenceHz: options.reference,
    tempo:
      options.tempo === undefined
        ? null
        : Object.assign(new Tempo(), { bpm: options.tempo, beatsPerBar: 4, firstBarSeconds: 0 }),
    tracks,
  });
  await saveSongFile(options.output, song, id => Promise.resolve(recordings.get(id)!));
}

/** @throws UserError naming the file */
async function soundOf(path: string): Promise<{ sampleRate: number; channels: Float32Array[] }> {
  const bytes = bytesOf(path);
  const isFlac = String.fromCharCode(...bytes.subarray(0, 4)) === 'fLaC';
  const sound = isFlac ? await flacOf(path, bytes) : inputFile(path);
  if (sound.channels.length > 2)
    throw new UserError(`${path}: it has ${sound.channels.length} channels; a track has one or two`);
  if (sound.channels[0].length > LONGEST * sound.sampleRate)
    throw new UserError(`${path}: it is longer than an hour and a half`);
  return sound;
}

async function flacOf(path: string, bytes: Uint8Array): Promise<{ sampleRate: number; channels: Float32Array[] }> {
  try {
    return await unpackFlac(bytes as Uint8Array<ArrayBuffer>, LONGEST * 192000);
  } catch (error) {
    throw new UserError(`${path}: ${(error as Error).message}`);
  }
}

const listOf = (text: string): string[] => text.split(',').map(t => t.trim());

/** One role a file; without any the first is the lead and the others are doubles. */
function rolesFor(paths: readonly string[], text: string | undefined): Role[] {
  if (text === undefined) return paths.map((_, i) => (i ? 'double' : 'lead'));
  const given = listOf(text);
  const wrong = given.find(r => !(ROLES as readonly string[]).includes(r));
  if (wrong !== undefined) throw new UserError(`--role: "${wrong}" is none of ${ROLES.join(', ')}`);
  if (given.length !== paths.length)
    throw new UserError(`--role: ${given.length} roles are given for ${paths.length} files`);
  return given as Role[];
}

/** One name a track; without any the files' own. */
function namesFor(paths: readonly string[], text: string | undefined): string[] {
  const given = text === undefined ? paths.map(p => basename(p, extname(p))) : listOf(text);
  if (given.length !== paths.length)
    throw new UserError(`--name: ${given.length} names are given for ${paths.length} files`);
  const wrong = given.find(n => !n || n.length > 200);
  if (wrong !== undefined) throw new UserError(`--name: "${wrong.slice(0, 40)}" cannot be a track's name`);
  const used = new Set<string>();
  return given.map(name => {
    let own = name;
    for (let i = 2; used.has(own); i++) own = `${name} ${i}`;
    used.add(own);
    return own;
  });
}
