import { useEffect } from 'react';
import { Field } from '../../field/Field';
import { useScene } from '../../field/use-scene';
import { editTrackOf, editViewOf, fitPitch, look, useSession } from '../../open-song';
import { stopTrying } from '../../commands/trying';
import { useUnpicked } from '../../commands/unpicking';
import { choirDress, choirNow } from './choir';
import { useSource } from './state';
import { Keyboard } from '../../keyboard/Keyboard';
import { watchLive } from './live';
import { partsTool } from './tool';

/** The Parts desk's middle: the part, and the lead it is made from. */
export function PartsDesk() {
  const { scene, version, trackName } = useScene(choirDress, true);
  const found = useUnpicked(s => s.found);
  const chosen = useUnpicked(s => s.chosen);
  const saying = useUnpicked(s => s.saying);
  const source = useSource(s => s.source);
  const fromId = useSession(s => editTrackOf(s)?.part?.fromId);
  const beside = useSession(s =>
    [fromId, ...choirNow(s).map(t => t.id)].filter(id => id && id !== s.editTrackId).join(' '),
  );
  useEffect(() => {
    const { viewedTrackIds } = useSession.getState();
    const more = beside.split(' ').filter(id => id && !viewedTrackIds.includes(id));
    if (more.length) useSession.setState({ viewedTrackIds: [...viewedTrackIds, ...more] });
  }, [beside]);
  useEffect(() => stopTrying, []);
  useEffect(watchLive, []);
  const trackId = useSession(s => s.editTrackId);
  const ready = useSession(s => editViewOf(s).status === 'ready');
  useEffect(() => {
    // a part lies elsewhere than the lead that was looked at
    const s = useSession.getState();
    if (ready && fromId) look({ ...s.view, ...fitPitch(s, s.view.from, s.view.to) });
  }, [trackId, fromId, ready, beside]);
  return (
    <>
      <Field
        scene={scene}
        version={[...version, found, chosen, saying, source]}
        tool={partsTool}
        onView={look}
        label={`Pitch field of ${trackName}. Arrow keys choose notes; they are moved at Tune. A table of the notes follows.`}
      />
      <Keyboard what="While the song runs, the part sings what is held." />
    </>
  );
}
