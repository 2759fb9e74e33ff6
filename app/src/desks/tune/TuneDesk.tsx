import { useEffect } from 'react';
import { Field } from '../../field/Field';
import { useScene } from '../../field/use-scene';
import { look } from '../../open-song';
import { TUNE_DRESS } from './draw';
import { watchDrawing } from './drawing';
import { watchGuiding } from './guide';
import { stopTrying } from '../../commands/trying';
import { watchPasting } from './pasting';
import { tuneTool } from './tool';
import { watchHard } from '../../commands/hard';
import { Keyboard } from '../../keyboard/Keyboard';

/** The Tune desk's middle: the field with everything that was sung and is edited. */
export function TuneDesk() {
  const { scene, version, trackName } = useScene(TUNE_DRESS);
  useEffect(watchDrawing, []);
  useEffect(watchHard, []);
  useEffect(watchPasting, []);
  useEffect(watchGuiding, []);
  useEffect(() => stopTrying, []);
  return (
    <>
      <Field
        scene={scene}
        version={version}
        tool={tuneTool}
        onView={look}
        label={`Pitch field of ${trackName}. Arrow keys choose and move notes; a table of the notes follows.`}
      />
      <Keyboard what="While the song runs, what you play becomes the melody guide; Enter settles what is chosen on what is held." />
    </>
  );
}
