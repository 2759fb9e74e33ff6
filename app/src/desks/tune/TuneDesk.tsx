import { Field } from '../../field/Field';
import { usePalette } from '../../shell/theme';
import { trackColour } from '../../field/palette';
import { sceneNotes, type Scene, type SceneLine } from '../../field/scene';
import type { Layout } from '../../field/viewport';
import {
  editsOf,
  editTrackOf,
  editViewOf,
  keySpans,
  look,
  loopSpan,
  scaleAtOf,
  songOf,
  useSession,
  viewOf,
} from '../../store/session';
import { tuneTool } from './tool';

const tool = tuneTool();

/** The Tune desk's middle: the field with everything that was sung and is edited. */
export function TuneDesk() {
  const session = useSession();
  const palette = usePalette();
  const song = songOf(session);
  const view = editViewOf(session);
  const track = editTrackOf(session);
  const edits = editsOf(session);

  const scene = (layout: Layout): Scene | null => {
    if (!song) return null;
    const others = session.viewedTrackIds.flatMap((id): SceneLine[] => {
      const other = song.tracks.find(t => t.id === id);
      return other ? [{ colour: trackColour(other), line: viewOf(session, id).line }] : [];
    });
    return {
      layout,
      view: session.view,
      palette,
      song,
      duration: session.duration,
      keys: keySpans(session),
      reading: view.reading,
      sungLine: view.sungLine,
      line: view.line.length ? view.line : view.sungLine,
      notes: sceneNotes({
        facts: view.notes,
        edits,
        words: view.words,
        selected: session.selection.trackId === session.editTrackId ? session.selection.notes : new Set(),
        scaleAt: scaleAtOf(session),
      }),
      phrases: view.phrases,
      others,
      loop: session.looping ? loopSpan(session) : null,
      edited: session.edited,
    };
  };

  return (
    <>
      <Field
        scene={scene}
        version={[
          session.view,
          view,
          edits,
          session.selection,
          palette,
          song,
          session.duration,
          session.viewedTrackIds,
          session.looping,
          session.edited,
          session.views,
          session.backing,
        ]}
        tool={tool}
        onView={look}
        label={`Pitch field of ${track?.name ?? 'the track'}. Arrow keys choose and move notes; a table of the notes follows.`}
      />
    </>
  );
}
