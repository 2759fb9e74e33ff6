import type { Viewport } from '../field/viewport';
import { editViewOf, trackOf, viewOf, useSession, type SessionState } from './state';

/** Which part of the field shows what is sung. */

export function zoomToFirstPhrase(): void {
  const s = useSession.getState();
  const first = editViewOf(s).phrases[0];
  if (!first) return;
  useSession.setState({
    view: { ...fitPitch(s, first.start, first.end), from: Math.max(0, first.start - 0.6), to: first.end + 0.6 },
  });
}

/** Pitch bounds that hold what is sung in a span of the song, at least an octave and a fifth; of a part with what is looked at beside it. */
export function fitPitch(s: SessionState, from: number, to: number): Pick<Viewport, 'low' | 'high'> {
  // a part is nowhere near where its lead sang it
  const part = !!trackOf(s, s.editTrackId)?.part;
  const pitches = [s.editTrackId, ...(part ? s.viewedTrackIds : [])].flatMap(id => {
    const { notes, edits } = viewOf(s, id);
    const meant = (n: (typeof notes)[number]) => (part ? (edits[n.key]?.target ?? n.sung) : n.sung);
    return notes.filter(n => n.end > from && n.start < to && !(part && edits[n.key]?.silent)).map(meant);
  });
  if (!pitches.length) return { low: s.view.low, high: s.view.high };
  const low = Math.min(...pitches) - 3;
  const high = Math.max(...pitches) + 3;
  const missing = Math.max(0, 17 - (high - low)) / 2;
  return { low: Math.floor(low - missing), high: Math.ceil(high + missing) };
}
