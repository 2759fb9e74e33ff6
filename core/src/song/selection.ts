import type { Seconds, Span } from '../units';

/**
 * What commands act on: notes of one track, or a span of time that may cut through them. Made here, consumed by every command; no
 * command finds its own targets.
 */
export interface Selection {
  trackId: string;
  /** Keys of the notes, in no order. */
  notes: ReadonlySet<string>;
  /** A stretch of the song, whatever notes it cuts through; then no notes are chosen. */
  span: Span | null;
}

export const nothing: Selection = { trackId: '', notes: new Set(), span: null };

export const select = (trackId: string, keys: Iterable<string>): Selection => ({
  trackId,
  notes: new Set(keys),
  span: null,
});

/** A stretch of the song, given from either end. */
export const selectSpan = (trackId: string, a: Seconds, b: Seconds): Selection => ({
  trackId,
  notes: new Set(),
  span: { start: Math.max(0, Math.min(a, b)), end: Math.max(a, b) },
});

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
/** Less than this of a note inside a span is not meant. */
const LEAST_PART: Seconds = 0.02;

/** Index of the phrase under a moment, its lead-in included; -1 between phrases. */
export function phraseAt(phrases: readonly Span[], t: number): number {
  const inside = phrases.findIndex(p => t >= p.start && t < p.end);
  return inside >= 0 ? inside : phrases.findIndex(p => t >= p.start - LEAD_IN && t < p.end);
}

/** A note with its place in time. */
export interface Placed extends Span {
  key: string;
}

/** What a command acts on of one note: all of it, or what a span cuts out of it. */
export interface ScopePart extends Placed {
  whole: boolean;
  /** More than half of the note: what cannot be done to a part is done to such notes. */
  mostly: boolean;
}

/** Notes a command acts on: the selection, else the phrase under the playhead. Says which, so that it can be shown. */
export interface Scope {
  parts: ScopePart[];
  kind: 'selection' | 'span' | 'phrase' | 'nothing';
}

/** All of a note. */
export const wholeNote = ({ key, start, end }: Placed): ScopePart => ({ key, start, end, whole: true, mostly: true });

/**
 * @param notes every note, in time order
 * @param phrases spans in the same time
 */
export function scopeOf(
  selection: Selection,
  trackId: string,
  notes: readonly Placed[],
  phrases: readonly Span[],
  playhead: number,
): Scope {
  if (selection.trackId === trackId) {
    const { span } = selection;
    if (span) return { parts: scopeIn(notes, span), kind: 'span' };
    const chosen = notes.filter(n => selection.notes.has(n.key));
    if (chosen.length) return { parts: chosen.map(wholeNote), kind: 'selection' };
  }
  const phrase = phrases[phraseAt(phrases, playhead)];
  const parts = phrase ? notes.filter(n => n.end > phrase.start && n.start < phrase.end).map(wholeNote) : [];
  return { parts, kind: parts.length ? 'phrase' : 'nothing' };
}

/** Notes as a command acts on them: whole, or what a span holds of them. */
export const scopeIn = (notes: readonly Placed[], span: Span | null): ScopePart[] =>
  span ? notes.flatMap(n => partIn(n, span)) : notes.map(wholeNote);

/** What a span holds of a note: nothing, all, or a part. */
function partIn(note: Placed, span: Span): ScopePart[] {
  const start = Math.max(note.start, span.start);
  const end = Math.min(note.end, span.end);
  const least = Math.min(LEAST_PART, 0.5 * (note.end - note.start));
  if (end - start < least) return [];
  const length = note.end - note.start;
  return [
    { key: note.key, start, end, whole: end - start > length - 2 * LEAST_PART, mostly: end - start > 0.5 * length },
  ];
}

/**
 * The same on a track that takes another's commands: its notes that lie under a part for more than half of the shorter of the two. Of
 * a note of which only a part is meant, the same part is.
 */
export function alongside(parts: readonly ScopePart[], notes: readonly Placed[]): ScopePart[] {
  return notes.flatMap(n => {
    const overlap = (p: ScopePart) => Math.min(p.end, n.end) - Math.max(p.start, n.start);
    const over = parts.filter(p => overlap(p) > 0.5 * Math.min(p.end - p.start, n.end - n.start));
    if (!over.length) return [];
    if (over.some(p => p.whole)) return [wholeNote(n)];
    return partIn(n, { start: over[0].start, end: over[over.length - 1].end });
  });
}

/** Notes of a selection that was kept by its places: those that lie there still, for more than half of them or of the place. */
export function notesAt(places: readonly Span[], notes: readonly Placed[]): string[] {
  return notes
    .filter(n =>
      places.some(
        p => Math.min(p.end, n.end) - Math.max(p.start, n.start) > 0.5 * Math.min(p.end - p.start, n.end - n.start),
      ),
    )
    .map(n => n.key);
}
