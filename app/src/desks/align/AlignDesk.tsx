import { heardMap } from '@essim/core';
import { useEffect } from 'react';
import { PLAIN, type Dress } from '../../field/dress';
import { Field } from '../../field/Field';
import { trackColour } from '../../field/palette';
import { useScene } from '../../field/use-scene';
import { goToPhrase } from '../../shell/commands';
import { leavesOf, shownFollower, stackOf } from '../../commands/aligning';
import { editTrack, look, songOf, useSession, viewOf, type SessionState } from '../../open-song';
import { mirrorLayout } from '../../field/draw/mirror';
import { alignDress, type AlignScene } from './draw';
import { withFan } from './fan';
import { useAlign } from './state';
import { alignTool } from './tool';

let made: { of: unknown[]; dress: Dress } | null = null;
/** The mirror and the lane; the same while nothing of them changes. */
function dressOf(s: SessionState, tying: AlignScene['tying']): Dress | null {
  const stack = stackOf(s);
  const shown = shownFollower(s);
  if (!stack || !shown) return null;
  const { lead, follower } = shown;
  const of = [lead, ...stack.followers, follower.id, ...[lead, ...stack.followers].map(t => viewOf(s, t.id)), tying];
  if (made?.of.length === of.length && made.of.every((v, i) => v === of[i])) return made.dress;
  const view = viewOf(s, lead.id);
  const bent = heardMap(songOf(s)!, follower);
  const heard = (t: number) => (bent ? bent.forward(t) : t);
  const dress = alignDress({
    lead: {
      name: lead.name,
      colour: trackColour(lead),
      levelDb: view.reading?.levelDb ?? new Float32Array(0),
      words: view.words,
    },
    follower: { name: follower.name, colour: trackColour(follower) },
    followers: [...stack.followers]
      .sort((a, b) => Number(a.id === follower.id) - Number(b.id === follower.id))
      .map(t => ({ colour: trackColour(t), shown: t.id === follower.id, leaves: leavesOf(s, t) })),
    asSung: (follower.align?.asSung ?? []).map(a => ({ start: heard(a.start), end: heard(a.end) })),
    tying,
  });
  made = { of, dress };
  return dress;
}

/** The Align desk's middle: mirror, offset lane, and both pitch lines. */
export function AlignDesk() {
  const session = useSession();
  const tying = useAlign(s => s.tying);
  const shown = shownFollower(session);
  const dress = dressOf(session, tying);
  const fan = useAlign(s => s.fan);
  const { scene, version, trackName } = useScene(fan && dress ? withFan(dress) : (dress ?? PLAIN), true);
  const followerId = shown?.follower.id;
  const leadId = shown?.lead.id;
  const editId = session.editTrackId;
  useEffect(() => {
    // what is looked at is what is worked on
    if (followerId && editId === leadId) editTrack(followerId);
  }, [followerId, leadId, editId]);
  const ready = useSession(s => !!followerId && viewOf(s, followerId).status === 'ready');
  useEffect(() => {
    // a follower may begin long after its lead
    const s = useSession.getState();
    const { notes } = viewOf(s, followerId ?? '');
    if (ready && s.editTrackId === followerId && !notes.some(n => n.end > s.view.from && n.start < s.view.to))
      goToPhrase(0);
  }, [followerId, ready]);
  useEffect(() => {
    const { viewedTrackIds } = useSession.getState();
    if (leadId && !viewedTrackIds.includes(leadId))
      useSession.setState({ viewedTrackIds: [...viewedTrackIds, leadId] });
  }, [leadId]);
  return (
    <Field
      scene={scene}
      version={version}
      tool={alignTool}
      onView={look}
      lay={dress ? mirrorLayout : undefined}
      label={`Offsets of ${trackName}. Arrow keys choose a syllable, T ties it; a table of the notes follows.`}
    />
  );
}
