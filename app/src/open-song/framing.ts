import { wholeSong, type Viewport } from '../field/viewport';
import { noteLength } from '../keeping/songs';
import { editViewOf, opened, trackOf, viewOf, useSession, type OpenSong, type SessionState } from './state';

/** Which part of the field shows what is sung. */

export function zoomToFirstPhrase(): void {
  const s = useSession.getState();
  const first = editViewOf(s).phrases[0];
  if (!first) return;
  useSession.setState({
    view: { ...fitPitch(s, first.start, first.end), from: Math.max(0, first.start - 0.6), to: first.end + 0.6 },
  });
}

/** The song whose length is known, from one of its recordings at least. */
let reached: OpenSong | null = null;

/** The open song is at least so long, s. */
export function reachTo(end: number): void {
  const open = opened()!;
  const first = reached !== open;
  const { duration: before } = useSession.getState();
  if (!first && end <= before) return;
  reached = open;
  const duration = Math.max(end, first ? 1 : before);
  void noteLength(open.id, duration).catch(() => {});
  useSession.setState(s => ({
    duration,
    view: s.viewBefore.length || editViewOf(s).status === 'ready' ? s.view : wholeSong(duration, s.view),
  }));
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
