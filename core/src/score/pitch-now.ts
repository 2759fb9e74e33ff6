import { HOP } from '../read';
import type { Midi } from '../units';
import type { TrackNote, TrackView } from './track-view';

/** Where the centre of a note lies now: where it was sung, and how far its body was moved; null where nothing of it is sung. */
export function pitchNow({ line, sungLine }: Pick<TrackView, 'line' | 'sungLine'>, n: TrackNote): Midi | null {
  const { place, body } = n;
  const [from, to] = body ? [place.toSong(body.start), place.toSong(body.end)] : [n.start, n.end];
  let moved = 0;
  let count = 0;
  for (let k = Math.round(from / HOP); k < Math.round(to / HOP); k++) {
    const by = line[k] - sungLine[k];
    if (Number.isNaN(by)) continue;
    moved += by;
    count++;
  }
  return count ? n.sung + moved / count : null;
}
