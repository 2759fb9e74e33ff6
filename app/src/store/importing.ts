import { Song, Take, Track, type Role } from '@essim/core';
import type { ImportedAudio, ImportFailure } from '../jobs/files.worker';
import { filesJob } from '../jobs/files-client';
import { addSong } from './songs';
import { keepSource } from './sources';

/** A file the user dropped, and what it is to be. */
export interface IncomingFile {
  file: File;
  role: Role;
}

export interface ImportOutcome {
  /** Set when at least one file came in. */
  songId: string | null;
  /** One clear message for each file that did not. */
  problems: string[];
}

const LARGEST_BYTES = 1.5e9;

/** Backing by its name, else lead for the first file and backing for the rest. */
export function guessRole(name: string, index: number): Role {
  const text = name.toLowerCase();
  if (/inst|back|piano|band|beat|karaoke|minus|track|mix|music|drum|bass|guitar/.test(text)) return 'backing';
  if (/lead|vox|vocal|voice|sing/.test(text)) return 'lead';
  return index === 0 ? 'lead' : 'backing';
}

export const newId = (): string => crypto.randomUUID();

function newTrack(name: string, role: Role, sourceId: string): Track {
  const take = Object.assign(new Take(), { id: newId(), name: 'Take 1', sourceId, offsetSeconds: 0 });
  return Object.assign(new Track(), { id: newId(), name, role, takes: [take], takeId: take.id });
}

export const plainName = (file: string): string => file.replace(/\.[^.]+$/, '').slice(0, 120) || 'Recording';

/** Makes a new song from files. A file that cannot be used is named with the reason; the others come in all the same. */
export async function importSong(incoming: IncomingFile[], name: string): Promise<ImportOutcome> {
  const problems: string[] = [];
  const tracks: Track[] = [];
  let sampleRate: number | null = null;
  // leads first: the song takes the rate of its lead
  for (const { file, role } of [...incoming].sort((a, b) => Number(b.role === 'lead') - Number(a.role === 'lead'))) {
    if (file.size > LARGEST_BYTES) {
      problems.push(`${file.name} is larger than Essim can take (1.5 GB).`);
      continue;
    }
    const bytes = new Uint8Array(await file.arrayBuffer());
    const read: ImportedAudio | ImportFailure = await filesJob().read(bytes, sampleRate);
    if ('error' in read) {
      problems.push(`${file.name} could not be used: ${read.error}.`);
      continue;
    }
    sampleRate ??= read.sampleRate;
    tracks.push(newTrack(plainName(file.name), role, await keepSource(file.name, read.sampleRate, read.channels)));
  }
  if (!tracks.length || !sampleRate) return { songId: null, problems };
  const song = Object.assign(new Song(), { id: newId(), name, sampleRate, tracks });
  await addSong(song);
  return { songId: song.id, problems };
}
