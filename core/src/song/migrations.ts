/**
 * Brings stored songs forward, one version at a time. Each step takes the plain data of its version and returns that of the next;
 * nothing is checked here, for validation follows.
 */
type Plain = Record<string, unknown>;
const STEPS: Record<number, (song: Plain) => Plain> = {
  // 1 -> 2: the one heard take of a track becomes a comp of one segment
  1: song => ({
    ...song,
    tracks: (Array.isArray(song.tracks) ? (song.tracks as Plain[]) : []).map(({ takeId, ...track }) => ({
      ...track,
      segments: takeId === undefined ? [] : [{ at: 0, takeId, fadeMs: 12 }],
    })),
  }),
  // 2 -> 3: corrections of the reading; a take without any needs none
  2: song => song,
  // 3 -> 4: selections kept by name; none before
  3: song => song,
  // 4 -> 5: how a track follows, and parts; nothing before
  4: song => song,
  // 5 -> 6: followers may lean to their lead's loudness; none did
  5: song => song,
  // 6 -> 7: edits have ids that mean nothing, and find their notes by their spans; the keys they had will do
  6: song => song,
  // 7 -> 8: notes may be tilted, drawn, given a vibrato and more; none was
  7: song => song,
  // 8 -> 9: takes tuned without notes, melody guides, other tunings; none before
  8: song => song,
  // 9 -> 10: tracks moved and stretched by hand; levels, noises and colour; none before
  9: song => song,
  // 10 -> 11: parts by chords and guides, and of parts; none before
  10: song => song,
  // 11 -> 12: versions, the master's level, bounces; none before
  11: song => song,
};

/** @param value plain data of any version up to `newest` */
export function migrated(value: unknown, newest: number): unknown {
  if (typeof value !== 'object' || value === null) return value;
  let song = value as Plain;
  for (let v = Number(song.version ?? 1); v < newest && STEPS[v]; v++) song = { ...STEPS[v](song), version: v + 1 };
  return song;
}
