/**
 * What commands act on: a set of notes of one track. Made here, consumed by every command; no command finds its own targets.
 */
export interface Selection {
  trackId: string;
  /** Keys of the notes, in no order. */
  notes: ReadonlySet<string>;
}

export const nothing: Selection = { trackId: '', notes: new Set() };

export const select = (trackId: string, keys: Iterable<string>): Selection => ({ trackId, notes: new Set(keys) });

/** Adds notes on the same track, or starts anew on another. */
export const extend = (s: Selection, trackId: string, keys: Iterable<string>): Selection =>
  select(trackId, s.trackId === trackId ? [...s.notes, ...keys] : keys);

/** In when out, out when in. */
export function toggle(s: Selection, trackId: string, key: string): Selection {
  if (s.trackId !== trackId || !s.notes.has(key)) return extend(s, trackId, [key]);
  return select(
    trackId,
    [...s.notes].filter(k => k !== key),
  );
}

/** How long before its first note a phrase begins to count: the playhead is usually put before it. */
const LEAD_IN = 0.6;

/** Index of the phrase under a moment, its lead-in included; -1 between phrases. */
export function phraseAt(phrases: readonly { start: number; end: number }[], t: number): number {
  const inside = phrases.findIndex(p => t >= p.start && t < p.end);
  return inside >= 0 ? inside : phrases.findIndex(p => t >= p.start - LEAD_IN && t < p.end);
}

/** Notes a command acts on: the selection, else the phrase under the playhead. Says which, so that it can be shown. */
export interface Scope {
  keys: string[];
  kind: 'selection' | 'phrase' | 'nothing';
}

/**
 * @param notes key and span of every note, in time order
 * @param phrases spans in the same time
 */
export function scopeOf(
  selection: Selection,
  trackId: string,
  notes: readonly { key: string; start: number; end: number }[],
  phrases: readonly { start: number; end: number }[],
  playhead: number,
): Scope {
  const chosen = selection.trackId === trackId ? notes.filter(n => selection.notes.has(n.key)).map(n => n.key) : [];
  if (chosen.length) return { keys: chosen, kind: 'selection' };
  const phrase = phrases[phraseAt(phrases, playhead)];
  const keys = phrase ? notes.filter(n => n.end > phrase.start && n.start < phrase.end).map(n => n.key) : [];
  return { keys, kind: keys.length ? 'phrase' : 'nothing' };
}
