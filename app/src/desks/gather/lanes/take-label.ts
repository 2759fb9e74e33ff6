import type { Take, Track } from '@essim/core';

/** What a take is called beside its track: a name that begins with the track's goes without that. */
export function takeLabel(track: Track, take: Take | undefined): string {
  const name = take?.name ?? '';
  const rest = name.slice(track.name.length).replace(/^[^\p{L}\p{N}]+/u, '');
  return rest && name.toLowerCase().startsWith(track.name.toLowerCase()) ? rest : name;
}
