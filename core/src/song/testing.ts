import { Song, Take, Track } from './document';

/** Made-up songs for tests. */

/** A recording's name made of a take's. */
export const sourceOf = (id: string): string =>
  [...id]
    .map(c => c.charCodeAt(0).toString(16))
    .join('')
    .padEnd(64, '0')
    .slice(0, 64);

export const take = (id: string, fields: Partial<Take> = {}): Take =>
  Object.assign(new Take(), { id, name: id, sourceId: sourceOf(id), offsetSeconds: 0, ...fields });

export const track = (id: string, takes: Take[], fields: Partial<Track> = {}): Track =>
  Object.assign(new Track(), {
    id,
    name: id,
    role: 'lead',
    takes,
    segments: takes.length ? [{ at: 0, takeId: takes[0].id, fadeMs: 12 }] : [],
    ...fields,
  });

export const song = (tracks: Track[], fields: Partial<Song> = {}): Song =>
  Object.assign(new Song(), { id: 'quay', name: 'Quay', sampleRate: 48000, tracks, ...fields });
