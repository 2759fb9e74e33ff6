import { Song, Take, Track, type SongKey } from '@essim/core';

/** A step of a recipe as it is written. */
export interface Step {
  do: string;
  on?: object;
  with?: object;
}

/** A song of one take. */
export function songOf(key: SongKey | null, fields: Partial<Song> = {}): Song {
  const take = Object.assign(new Take(), { id: 'take', name: 'take', sourceId: 'f'.repeat(64), offsetSeconds: 0 });
  const track = Object.assign(new Track(), {
    id: 'lead',
    name: 'Lead',
    role: 'lead',
    takes: [take],
    segments: [{ at: 0, takeId: 'take', fadeMs: 12 }],
  });
  return Object.assign(new Song(), { id: 'song', name: 'bench', sampleRate: 48000, key, tracks: [track], ...fields });
}
