import { useEffect, useMemo } from 'react';
import { Field } from '../../field/Field';
import { useScene } from '../../field/use-scene';
import { listenTo, look, useSession } from '../../open-song';
import { toneDress, toneLayout } from './draw';
import { toneScene } from './scene';
import { toneTool } from './tool';

/** The Tone desk's middle: pitch, level, noises and colour over one time. */
export function ToneDesk() {
  const editId = useSession(s => s.editTrackId);
  const takes = useSession(s => s.takes);
  useSession();
  useEffect(() => void listenTo(editId), [editId, takes]);
  const tone = toneScene();
  const dress = useMemo(() => toneDress(tone), [tone]);
  const { scene, version, trackName } = useScene(dress, true);
  return (
    <Field
      scene={scene}
      version={version}
      tool={toneTool}
      onView={look}
      lay={toneLayout}
      label={`Tone of ${trackName}. R and E lift and ease what is chosen; a table of the notes follows.`}
    />
  );
}
