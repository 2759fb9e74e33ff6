import type { Track } from './document';

/** Gains of left and right by level and pan: equal power, exactly one in the middle. */
export function panGains(levelDb: number, pan: number): [left: number, right: number] {
  const gain = levelDb ? 10 ** (levelDb / 20) : 1;
  if (!pan) return [gain, gain];
  const angle = ((pan + 1) * Math.PI) / 4;
  return [gain * Math.SQRT2 * Math.cos(angle), gain * Math.SQRT2 * Math.sin(angle)];
}

/**
 * A track as it stands in the mix.
 * @param channels one or two @param linked two microphones of one singer: heard together in the middle
 * @returns one channel while left and right would be the same, else two
 */
export function placedInMix(
  channels: readonly Float32Array[],
  [left, right]: [number, number],
  linked = false,
): Float32Array[] {
  const scaled = (x: Float32Array, g: number) => (g === 1 ? x : x.map(v => v * g));
  if (channels.length === 1 || linked) {
    const x = linked && channels.length > 1 ? channels[0].map((v, i) => (v + channels[1][i]) / 2) : channels[0];
    return left === right ? [scaled(x, left)] : [scaled(x, left), scaled(x, right)];
  }
  return [scaled(channels[0], left), scaled(channels[1], right)];
}

/** Adds a track to a mix of two channels. */
export function addToMix(mix: readonly Float32Array[], track: readonly Float32Array[]): void {
  mix.forEach((y, c) => {
    const x = track[Math.min(c, track.length - 1)];
    for (let i = 0; i < x.length && i < y.length; i++) y[i] += x[i];
  });
}

/** A track that is heard in the mix: not muted, and soloed if any is. */
export const soundsInMix = (track: Track, tracks: readonly Track[]): boolean =>
  !track.mute && (track.solo || !tracks.some(t => t.solo)) && track.segments.length > 0;

/** A name every file system takes. */
export const tidyFileName = (...parts: string[]): string =>
  parts
    .join(' ')
    .replace(/[^\p{L}\p{N} ._-]+/gu, '')
    .trim();

/** What a pattern of file names may hold. */
export const NAME_FIELDS = ['{song}', '{track}', '{number}', '{role}', '{tempo}', '{key}'] as const;
export const USUAL_PATTERN = '{track}';

export interface NamedSong {
  name: string;
  /** "92 bpm", or nothing. */
  tempo?: string;
  key?: string;
}

/**
 * Names of the stems' files, none twice.
 * @param pattern what each is called, like "{number} {song} {track}"; a name without a letter or digit is "Track"
 */
export function stemNames(
  tracks: readonly (Pick<Track, 'name'> & Partial<Pick<Track, 'role'>>)[],
  ending: string,
  pattern: string = USUAL_PATTERN,
  song: NamedSong = { name: '' },
): string[] {
  const used = new Set<string>();
  return tracks.map((t, i) => {
    const fields: Record<(typeof NAME_FIELDS)[number], string> = {
      '{song}': song.name,
      '{track}': t.name,
      '{number}': String(i + 1).padStart(2, '0'),
      '{role}': t.role ?? '',
      '{tempo}': song.tempo ?? '',
      '{key}': song.key ?? '',
    };
    const filled = pattern.replace(/\{\w+\}/g, f => fields[f as '{song}'] ?? '');
    const name = tidyFileName(filled).replace(/ {2,}/g, ' ').slice(0, 180) || 'Track';
    let own = `${name}.${ending}`;
    for (let n = 2; used.has(own.toLowerCase()); n++) own = `${name} ${n}.${ending}`;
    used.add(own.toLowerCase());
    return own;
  });
}
