import type { Viewport } from '../field/viewport';
import { editViewOf, trackOf, useSession, type SessionState } from './state';

/** Which part of the field shows what is sung. */

export function zoomToFirstPhrase(): void {
  const s = useSession.getState();
  const first = editViewOf(s).phrases[0];
  if (!first) return;
  useSession.setState({
    view: { ...fitPitch(s, first.start, first.end), from: Math.max(0, first.start - 0.6), to: first.end + 0.6 },
  });
}

/** Pitch bounds that hold what is sung in a span of the song, at least an octave and a fifth. */
export function fitPitch(s: SessionState, from: number, to: number): Pick<Viewport, 'low' | 'high'> {
  const { notes: all, edits } = editViewOf(s);
  const notes = all.filter(n => n.end > from && n.start < to);
  if (!notes.length) return { low: s.view.low, high: s.view.high };
  // a part is nowhere near where its lead sang it
  const part = !!trackOf(s, s.editTrackId)?.part;
  const pitches = notes.map(n => (part ? (edits[n.key]?.target ?? n.sung) : n.sung));
  const low = Math.min(...pitches) - 3;
  const high = Math.max(...pitches) + 3;
  const missing = Math.max(0, 17 - (high - low)) / 2;
  return { low: Math.floor(low - missing), high: Math.ceil(high + missing) };
}
