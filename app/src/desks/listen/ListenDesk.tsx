import { useMemo } from 'react';
import { Field } from '../../field/Field';
import { useScene } from '../../field/use-scene';
import { cutsOfScope, doubtsIn } from '../../commands/corrections';
import { editViewOf, look, useSession } from '../../open-song';
import { listenDress } from './draw';
import { offeredHearings } from './hearing';
import { useListen } from './state';
import { listenTool } from './tool';

/** The Listen desk's middle: the field with the evidence the line was drawn from, and everything that may be wrong. */
export function ListenDesk() {
  const view = useSession(editViewOf);
  const selection = useSession(s => s.selection);
  const doubts = useSession(doubtsIn);
  const { preview } = useListen();
  const dress = useMemo(() => {
    const s = useSession.getState();
    return listenDress({
      hearings: offeredHearings(s),
      doubts: doubts.filter(d => !d.looked),
      cuts: preview ? cutsOfScope(s)[preview] : [],
      assumed: view.assumed,
    });
    // what is chosen and read decides; the rest of the state is only looked things up in
    // oxlint-disable-next-line react-hooks/exhaustive-deps
  }, [view, selection, doubts, preview]);
  const { scene, version, trackName } = useScene(dress);
  return (
    <Field
      scene={scene}
      version={version}
      tool={listenTool}
      onView={look}
      label={`What was heard of ${trackName}. Arrow keys choose notes; / cuts, J joins, O hears an octave higher; a table of the notes follows.`}
    />
  );
}
