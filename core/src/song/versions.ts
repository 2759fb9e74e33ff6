import { validatedSong } from './check';
import { Version, type Song } from './document';
import { withoutParts } from './parts';

/** The song as it is, to be kept by name. What it shares with the song takes no room until it is stored. */
export function versionOf(song: Song, { id, name, madeAt }: Pick<Version, 'id' | 'name' | 'madeAt'>): Version {
  const { versions: _, ...rest } = withoutParts(song);
  return Object.assign(new Version(), { id, name, madeAt, song: rest });
}

/**
 * The song as it was in a version; its name, and the versions there are, stay.
 * @throws DocumentError when the version is damaged
 */
export function backTo(song: Song, version: Version): Song {
  const was = validatedSong({ ...version.song, versions: [] });
  return { ...was, id: song.id, name: song.name, sampleRate: song.sampleRate, versions: song.versions };
}

const SOURCE = /^[0-9a-f]{64}$/;

const NAMED = /\b[0-9a-f]{64}\b/g;

/** Names of recordings in anything that is stored: documents, journals, rows of a database. */
export const recordingsNamedIn = (stored: unknown): string[] => [
  ...new Set((typeof stored === 'string' ? stored : JSON.stringify(stored)).match(NAMED) ?? []),
];

/** Every recording a song needs, those of its versions too. */
export function recordingsOf(song: Pick<Song, 'tracks' | 'versions'>): string[] {
  const found = new Set(song.tracks.flatMap(t => t.takes.map(k => k.sourceId)));
  const listed = (of: unknown, name: string): unknown[] => {
    const list = (of as Record<string, unknown> | null)?.[name];
    return Array.isArray(list) ? (list as unknown[]) : [];
  };
  for (const { song: was } of song.versions)
    for (const take of listed(was, 'tracks').flatMap(t => listed(t, 'takes'))) {
      const id = (take as { sourceId?: unknown } | null)?.sourceId;
      if (typeof id === 'string' && SOURCE.test(id)) found.add(id);
    }
  return [...found];
}
