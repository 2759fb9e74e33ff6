import type { Midi, Seconds, Span } from '../units';

/** Strokes drawn over a note: each times and MIDI pitches by turns, straight between them; times rise from stroke to stroke. */
export type Stroke = readonly number[];

/** Nothing shorter is kept, s. */
const SHORTEST: Seconds = 0.01;
const round = (v: number) => Math.round(v * 1e5) / 1e5;

/** The pitch of a stroke at a moment within it. */
function pitchAt(stroke: Stroke, t: Seconds): Midi {
  let i = 2;
  while (i + 2 < stroke.length && stroke[i] < t) i += 2;
  const [t0, p0, t1, p1] = stroke.slice(i - 2, i + 2);
  return p0 + (p1 - p0) * Math.max(0, Math.min(1, t1 > t0 ? (t - t0) / (t1 - t0) : 1));
}

/** What of a stroke lies within a span; null when that is hardly anything. */
export function strokeWithin(stroke: Stroke, { start, end }: Span): number[] | null {
  const from = Math.max(start, stroke[0]);
  const to = Math.min(end, stroke[stroke.length - 2]);
  if (to - from < SHORTEST) return null;
  const out = [round(from), round(pitchAt(stroke, from))];
  for (let i = 0; i < stroke.length; i += 2)
    if (stroke[i] > from + 1e-4 && stroke[i] < to - 1e-4) out.push(round(stroke[i]), round(stroke[i + 1]));
  out.push(round(to), round(pitchAt(stroke, to)));
  return out;
}

/** Strokes without what lies in a span. */
export const strokesWithout = (strokes: readonly Stroke[], { start, end }: Span): number[][] =>
  strokes.flatMap(s =>
    [strokeWithin(s, { start: -Infinity, end: start }), strokeWithin(s, { start: end, end: Infinity })].filter(
      (part): part is number[] => part !== null,
    ),
  );

/** Strokes with another drawn over them. */
export function strokesWith(strokes: readonly Stroke[], stroke: Stroke): number[][] {
  const span = { start: stroke[0] - 1e-4, end: stroke[stroke.length - 2] + 1e-4 };
  return [...strokesWithout(strokes, span), [...stroke]].sort((a, b) => a[0] - b[0]);
}

/** Strokes moved up by semitones. */
export const movedStrokes = (strokes: readonly Stroke[], by: number): number[][] =>
  strokes.map(s => s.map((v, i) => (i % 2 ? Math.max(0, Math.min(128, round(v + by))) : v)));

/** A stroke at other times. */
export const strokeAt = (stroke: Stroke, time: (t: Seconds) => Seconds): number[] =>
  stroke.map((v, i) => (i % 2 ? v : time(v)));
