import type { Seconds, Span } from '../units';
import type { NoteEdit, NotePart } from './document';

/** Parts of a note of which something else was decided than of the rest: in order, not overlapping. */

export const PITCH_OF_PARTS = ['aim', 'wander', 'vibrato', 'scoop', 'fall'] as const;
export const TONE_OF_PARTS = ['formant', 'follow'] as const;
const FIELDS = [...PITCH_OF_PARTS, ...TONE_OF_PARTS] as const;
export type PartValues = Partial<Record<(typeof FIELDS)[number], number | null>>;

/** Shorter pieces are not kept, s. */
const SHORTEST: Seconds = 0.005;
const alike = (a: NotePart, b: NotePart) => FIELDS.every(f => a[f] === b[f]);
const says = (p: NotePart) => FIELDS.some(f => p[f] !== undefined);

/**
 * Parts with something decided about a stretch, over what was decided before. Null takes a value off there, so that the note's counts.
 */
export function withPart(parts: readonly NotePart[], { start, end }: Span, values: PartValues): NotePart[] {
  const edges = [...new Set([start, end, ...parts.flatMap(p => [p.start, p.end])])].sort((a, b) => a - b);
  const out: NotePart[] = [];
  edges.slice(1).forEach((to, i) => {
    const from = edges[i];
    if (to - from < SHORTEST) return;
    const middle = (from + to) / 2;
    const before = parts.find(p => middle >= p.start && middle < p.end);
    const made: NotePart = { ...before, start: from, end: to };
    if (middle >= start && middle < end)
      for (const f of FIELDS) {
        const v = values[f];
        if (v === null) delete made[f];
        else if (v !== undefined) made[f] = v;
      }
    const last = out[out.length - 1] as NotePart | undefined;
    if (!says(made)) return;
    if (last?.end === from && alike(last, made)) last.end = to;
    else out.push(made);
  });
  return out;
}

/** An edit whose parts say nothing of these any more. */
export function withoutInParts(edit: NoteEdit, fields: readonly (keyof PartValues)[]): NoteEdit {
  if (!edit.parts) return edit;
  const { parts, ...rest } = edit;
  const kept = withPart(parts, { start: 0, end: Infinity }, Object.fromEntries(fields.map(f => [f, null])));
  return kept.length ? { ...rest, parts: kept } : rest;
}
