import { Field } from '../../field/Field';
import { usePalette } from '../../shell/theme';
import { roleColour } from '../../field/palette';
import { sceneNotes, type Scene, type SceneLine } from '../../field/scene';
import type { Layout } from '../../field/viewport';
import {
  editsOf,
  editTakeOf,
  editTrackOf,
  editViewOf,
  keyOf,
  look,
  loopSpan,
  scaleOf,
  songOf,
  useSession,
} from '../../store/session';
import { heardTake } from '@essim/core';
import { tuneTool } from './tool';
import { NoteTable } from './NoteTable';

const tool = tuneTool();

/** The Tune desk's middle: the field with everything that was sung and is edited. */
export function TuneDesk() {
  const session = useSession();
  const palette = usePalette();
  const song = songOf(session);
  const view = editViewOf(session);
  const take = editTakeOf(session);
  const track = editTrackOf(session);
  const edits = editsOf(session);
  const { key } = keyOf(session);

  const scene = (layout: Layout): Scene | null => {
    if (!song) return null;
    const offset = take?.offsetSeconds ?? 0;
    const others = session.viewedTrackIds.flatMap((id): SceneLine[] => {
      const other = song.tracks.find(t => t.id === id);
      const otherTake = other && heardTake(other);
      const line = otherTake && session.takes[otherTake.id]?.line;
      return line ? [{ colour: roleColour(other.role), line, offset: otherTake.offsetSeconds }] : [];
    });
    return {
      layout,
      view: session.view,
      palette,
      song,
      duration: session.duration,
      key,
      reading: view.reading ?? null,
      offset,
      sungLine: view.sungLine,
      line: view.line.length ? view.line : view.sungLine,
      notes: sceneNotes({
        reading: view.reading ?? null,
        facts: view.notes,
        edits,
        words: take?.words ?? [],
        selected: session.selection.trackId === session.editTrackId ? session.selection.notes : new Set(),
        offset,
        scale: scaleOf(session),
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
          session.takes,
        ]}
        tool={tool}
        onView={look}
        label={`Pitch field of ${track?.name ?? 'the track'}. Arrow keys choose and move notes; a table of the notes follows.`}
      />
      <NoteTable />
    </>
  );
}
