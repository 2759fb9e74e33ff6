import { Field } from '../../field/Field';
import { useScene } from '../../field/use-scene';
import { look } from '../../store/session';
import { tuneTool } from './tool';

const tool = tuneTool();

/** The Tune desk's middle: the field with everything that was sung and is edited. */
export function TuneDesk() {
  const { scene, version, trackName } = useScene();
  return (
    <Field
      scene={scene}
      version={version}
      tool={tool}
      onView={look}
      label={`Pitch field of ${trackName}. Arrow keys choose and move notes; a table of the notes follows.`}
    />
  );
}
