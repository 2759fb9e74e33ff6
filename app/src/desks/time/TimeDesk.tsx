import { useEffect } from 'react';
import { PLAIN, type Dress } from '../../field/dress';
import { mirrorLayout } from '../../field/draw/mirror';
import { Field } from '../../field/Field';
import { trackColour } from '../../field/palette';
import { useScene } from '../../field/use-scene';
import { editTrackOf, editViewOf, look, songOf, trackOf, useSession, type SessionState } from '../../open-song';
import { timeDress } from './draw';
import { useTime, type TimeState } from './state';
import { preview, timedNotes, timing } from './timed';
import { timeTool } from './tool';
import { pointsAt } from './edits';

let made: { of: unknown[]; dress: Dress } | null = null;
function dressOf(s: SessionState, t: TimeState): Dress {
  const track = editTrackOf(s);
  const view = editViewOf(s);
  const times = timing(s);
  if (!track || !times || !view.reading) return PLAIN;
  const coming = preview(s, t).moves;
  const of = [track, view, times, t, coming];
  if (made && made.of.every((v, i) => v === of[i])) return made.dress;
  const other = songOf(s)?.tracks.find(q => q.id === t.against);
  const inHeard = (q: { start: number; end: number }) => ({ start: times.heard(q.start), end: times.heard(q.end) });
  const dress = timeDress({
    colour: trackColour(track),
    notes: timedNotes(s, t),
    stiff: times.stiff.map(inHeard),
    stitches: times.stitches,
    gaps: times.gaps.map(inHeard),
    heard: q => times.heard(q),
    coming,
    beside: t.against === 'beat' ? 'beat' : t.against === 'sung' ? 'as sung' : (other?.name ?? 'lead'),
  });
  made = { of, dress };
  return dress;
}

/** The Time desk's middle: as sung over as it is now, how far off each note is, and the field. */
export function TimeDesk() {
  const session = useSession();
  const time = useTime();
  const { scene, version, trackName } = useScene(dressOf(session, time), true);
  useEffect(() => () => pointsAt(null), []);
  const { editTrackId } = session;
  const beside = time.against !== 'beat' && time.against !== 'sung' ? trackOf(session, time.against) : null;
  useEffect(() => {
    // a track is not told beside itself, nor beside one that is gone
    if (beside === undefined || beside?.id === editTrackId) useTime.setState({ against: 'beat' });
  }, [beside, editTrackId]);
  return (
    <Field
      scene={scene}
      version={version}
      tool={timeTool}
      onView={look}
      lay={mirrorLayout}
      label={`Time of ${trackName}. E and R move what is chosen earlier and later, S brings it to the beat; a table of the notes follows.`}
    />
  );
}
